import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords } from '@/api/client'
import { renderDraftQuery } from '@/api/drafts'
import { KeyCaps } from '@/keys/KeyCaps'
import { Button, ErrorLine, Waiting } from '@/parts/controls'
import { CasePicker } from './CasePicker'
import type { useCaseAt } from './useCaseAt'
import { toRows, type WorkingCopy } from './workingCopy'

/** The text literally as a model gets it, filled from one case at a time. */
export function AsSent({
  copy,
  cases,
}: {
  copy: WorkingCopy
  cases: ReturnType<typeof useCaseAt>
}) {
  const [copied, setCopied] = useState(false)
  const inputs = cases.chosen?.inputs ?? {}
  const rows = toRows(copy)
  const done = useQuery({
    ...renderDraftQuery({ messages: rows, inputs }),
    enabled: cases.dataset === undefined || cases.chosen !== undefined,
  })
  const text = (done.data?.messages ?? []).map((m) => `[${m.role}]\n${m.content}`).join('\n\n')
  return (
    <div>
      <div className="mb-3 flex items-center gap-3 text-sm">
        <CasePicker cases={cases} />
        <span className="ml-auto">
          <KeyCaps of="draft.copy" />
        </span>
        <Button
          onClick={() => void navigator.clipboard.writeText(text).then(() => setCopied(true))}
        >
          {copied ? 'Copied' : 'Copy as sent'}
        </Button>
      </div>
      {done.isError && <ErrorLine>{inWords(done.error)}</ErrorLine>}
      {done.isPending && <Waiting what="the text" />}
      {done.data && done.data.missing.length > 0 && (
        <p className="mb-2 text-sm text-harm">
          No value for {done.data.missing.join(', ')} in this case.
        </p>
      )}
      {done.data?.messages.map((m, i) => (
        <section key={i} className="mb-4">
          <p className="text-xs text-soft">
            {m.role}
            {m.step && `, step ${m.step}`}
          </p>
          <pre className="border-l-2 border-rule-strong bg-sheet px-3 py-2 font-mono text-sm whitespace-pre-wrap break-words">
            {m.content}
          </pre>
        </section>
      ))}
    </div>
  )
}
