import { inWords, type Schemas } from '@/api/client'
import { useOutput } from '@/api/trials'
import { KeyCaps } from '@/keys/KeyCaps'
import type { KeyName } from '@/keys/registry'
import { Note } from '@/parts/Margin'
import { Button, TextAction } from '@/parts/controls'

export type Since = 'fixed' | 'still' | 'worse'
const SINCE: [Since, KeyName, string][] = [
  ['fixed', 'review.fixed', 'Fixed'],
  ['still', 'review.still', 'Still so'],
  ['worse', 'review.worse', 'Worse'],
]

type Props = {
  former: Schemas['FormerSaid']
  text: string
  onSince: (what: Since) => void
  onOpen: (output: number) => void
}

/** The former answer to this case and what was said of it; one key says what became of that. */
export function FormerNote({ former, text, onSince, onOpen }: Props) {
  const output = useOutput(former.output)
  return (
    <Note tone="inform" title={`Before, in trial ${former.trial_number}: ${former.judgement}`}>
      {output.isError && <p>{inWords(output.error)}</p>}
      {output.data && (
        <pre className="max-h-40 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-2 py-1 font-mono text-xs break-words whitespace-pre-wrap">
          {output.data.text || '(no answer)'}
        </pre>
      )}
      {former.comment && (
        <p className="mt-1">
          {former.reader}: {former.comment}
        </p>
      )}
      {former.spans.map((s, i) => (
        <p key={i} className="mt-1">
          “{s.quote}”: {s.comment}{' '}
          <span className="font-sans text-xs text-soft">
            ({text.includes(s.quote ?? '') ? 'these words are still there' : 'these words are gone'}
            )
          </span>
        </p>
      ))}
      {former.faults.length > 0 && (
        <p className="font-sans text-xs text-soft">{former.faults.join(', ')}</p>
      )}
      {former.better && <p className="mt-1 font-mono text-xs">better: {former.better}</p>}
      <p className="mt-1 flex flex-wrap gap-1 font-sans">
        {SINCE.map(([what, key, words]) => (
          <Button key={what} small onClick={() => onSince(what)}>
            <KeyCaps of={key} />
            {words}
          </Button>
        ))}
      </p>
      <TextAction light className="font-sans text-xs" onClick={() => onOpen(former.output)}>
        Open the former answer
      </TextAction>
    </Note>
  )
}
