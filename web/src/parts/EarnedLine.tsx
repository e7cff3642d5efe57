import type { ReactNode } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { Simulated } from './controls'
import { plural, signed } from './numbers'

/** A line that earned its place elsewhere, never without its figures; what can be done with it beside it. */
export function EarnedLine({
  line,
  children,
}: {
  line: Schemas['EarnedLine']
  children?: ReactNode
}) {
  return (
    <li className="flex items-baseline gap-3 border-b border-rule py-2">
      <span className="min-w-0 flex-1">
        <span className="font-serif whitespace-pre-line">{line.text}</span>
        <span className="block text-xs text-soft">
          {signed(line.weight, 2)} (likely {signed(line.low, 2)} to {signed(line.high, 2)}) on{' '}
          {plural(line.n_cases, 'case')} of{' '}
          <Link
            className="underline underline-offset-2"
            to={`/briefs/${line.brief}/draft?v=${line.version}&view=Weights`}
          >
            {line.brief_name}, v{line.version}
          </Link>
          , {line.task}, {line.model} {line.simulated && <Simulated />}
          {line.kept ? '' : '; struck there since'}
        </span>
        {line.failed.map((f) => (
          <span key={f.brief} className="block text-xs text-attention-text">
            {f.verdict} in {f.brief_name}: {signed(f.weight, 2)} (likely {signed(f.low, 2)} to{' '}
            {signed(f.high, 2)})
          </span>
        ))}
      </span>
      {children}
    </li>
  )
}
