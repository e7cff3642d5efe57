import { useState, type ReactNode } from 'react'
import { TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'

// So much of a case is read at once; a long one is opened.
const LONG = 700

type Props = {
  case_: { inputs: Record<string, unknown>; conversation: unknown }
  children?: ReactNode
}

/** What a case says, to be read: every input, a long one as far as it is asked for. */
export function CaseRead({ case_, children }: Props) {
  const [whole, setWhole] = useState(false)
  const names = Object.keys(case_.inputs)
  const parts = names.map((name) => [name, asText(case_.inputs[name])] as const)
  const long = parts.some(([, text]) => text.length > LONG)
  return (
    <div className="min-w-0 text-sm">
      {parts.map(([name, text]) => (
        <p key={name} dir="auto" className="break-words whitespace-pre-wrap">
          {names.length > 1 && <span className="text-xs text-soft">{name} </span>}
          {whole || text.length <= LONG ? text : `${text.slice(0, LONG)}…`}
        </p>
      ))}
      {children && <p className="text-xs text-soft">{children}</p>}
      {long && (
        <TextAction light className="text-xs" onClick={() => setWhole(!whole)}>
          {whole ? 'less' : 'all of it'}
        </TextAction>
      )}
    </div>
  )
}
