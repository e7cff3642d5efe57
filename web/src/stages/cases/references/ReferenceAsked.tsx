import { useRef } from 'react'
import { inWords } from '@/api/client'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Area, Button, ErrorLine } from '@/parts/controls'
import { RightForms } from '@/parts/RightForms'
import { useTyped } from '@/parts/typed'
import { WordChanges } from '@/parts/WordChanges'

import { CaseRead } from '../CaseRead'
import type { References, Row } from './useReferences'

type Props = { all: References; row: Row }

/** One case: what it says, what was answered, and the field for what is right. */
export function ReferenceAsked({ all, row }: Props) {
  const place = `right ${row.revision}`
  const [text, setText] = useTyped(`${place} text`, row.own?.text ?? row.reference ?? '')
  const [forms, setForms] = useTyped<string[]>(`${place} forms`, row.own?.forms ?? row.forms)
  const field = useRef<HTMLDivElement>(null)
  const differ = all.which === 'differ' && row.reference === null
  const save = () => {
    if (text.trim())
      void all.keep(row, { reference: text, forms: forms.filter((f) => f.trim()) }, differ)
  }
  const write = () => {
    if (!text && row.start) setText(row.start)
    const area = field.current?.querySelector('textarea')
    area?.focus()
    // Behind what stands there, once it stands there.
    if (area)
      requestAnimationFrame(() => area.setSelectionRange(area.value.length, area.value.length))
  }
  const taking = row.start
    ? () => void all.keep(row, { reference: row.start!, forms: [] }, differ)
    : undefined
  useKeys({
    'references.take': taking,
    'references.write': write,
    'references.skip': all.next,
    'references.before': all.before ?? undefined,
  })
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) save()
    // The keys are those of the page again.
    if (e.key === 'Escape') (e.target as HTMLElement).blur()
  }
  return (
    <section className="mt-3 grid gap-4" aria-label={`Case ${row.number}`}>
      <div className="flex items-baseline gap-3">
        <h2 className="text-base">Case {row.number}</h2>
        <span className="text-sm text-soft">
          {row.split === 'held-out' ? 'held out' : 'working'}
          {row.reference !== null && ', has a reference'}
        </span>
        <span className="ml-auto flex gap-2">
          <Button
            kind="quiet"
            lacks={[!all.before && 'this is the first']}
            onClick={all.before ?? undefined}
          >
            ‹ before <KeyCaps of="references.before" />
          </Button>
          <Button onClick={all.next}>
            Leave it as it is <KeyCaps of="references.skip" />
          </Button>
        </span>
      </div>
      <div className="border-l-2 border-rule-strong pl-3 font-serif">
        <CaseRead case_={row}>
          {row.conversation !== null && 'A conversation: what is right is its last answer.'}
        </CaseRead>
      </div>
      {row.start !== null && (
        <div className="grid gap-1">
          <div className="flex items-baseline gap-3">
            <h3 className="text-sm font-semibold">Answered</h3>
            <Button onClick={taking} disabled={all.pending}>
              It is right <KeyCaps of="references.take" />
            </Button>
            <Button kind="quiet" onClick={write}>
              Change it <KeyCaps of="references.write" />
            </Button>
          </div>
          <pre
            className="bg-sheet px-3 py-2 font-mono text-sm break-words whitespace-pre-wrap"
            dir="auto"
          >
            {row.start}
          </pre>
        </div>
      )}
      {all.arm !== null && row.start === null && (
        <p className="text-sm text-soft">That arm has no answer to this case as it is now.</p>
      )}
      {differ && <Settle all={all} row={row} />}
      <div ref={field} className="grid gap-2">
        <Area
          label="What is right"
          rows={Math.min(12, Math.max(2, text.split('\n').length, Math.ceil(text.length / 80)))}
          className="[&_textarea]:font-mono"
          dir="auto"
          value={text}
          onKeyDown={onKey}
          onChange={(e) => setText(e.target.value)}
        />
        <RightForms forms={forms} onChange={setForms} onKeyDown={onKey} />
        {all.problem !== null && <ErrorLine>{inWords(all.problem)}</ErrorLine>}
        <div className="flex flex-wrap items-baseline gap-3">
          <Button
            kind="main"
            disabled={all.pending}
            lacks={[!text.trim() && 'what is wanted is empty']}
            onClick={save}
          >
            {all.pending ? 'Keeping…' : 'Keep and go on'}{' '}
            <span className="font-normal">Ctrl ↵</span>
          </Button>
          <span className="text-sm text-soft" role="status">
            {said(all.became, row)}
          </span>
        </div>
      </div>
    </section>
  )
}

function said(became: string | undefined, row: Row): string {
  if (became === 'waits') return 'Kept. It waits for the other person.'
  if (became === 'differs')
    return 'Kept. The other person wrote something else: it is to be settled.'
  if (became === 'reference') return 'Kept as the reference.'
  return row.own ? 'You wrote this; it is not the reference yet.' : ''
}

/** What two people wrote, with what tells it apart. */
function Settle({ all, row }: Props) {
  const drafts = [...(row.own ? [row.own] : []), ...row.others]
  const [first, second] = drafts
  const take = (reference: string, forms: string[]) =>
    void all.keep(row, { reference, forms }, true)
  const both =
    first && second
      ? () => take(first.text, [...first.forms, second.text, ...second.forms])
      : undefined
  useKeys({
    'references.first': first && (() => take(first.text, first.forms)),
    'references.second': second && (() => take(second.text, second.forms)),
    'references.both': both,
  })
  return (
    <div className="grid gap-2">
      {drafts.map((d, i) => (
        <div key={d.reader} className="grid grid-cols-[9rem_minmax(0,1fr)] gap-3">
          <span className="grid content-start gap-1 text-sm">
            <span className="truncate" title={d.reader}>
              {d.reader}
            </span>
            <Button disabled={all.pending} onClick={() => take(d.text, d.forms)}>
              This one {i === 0 && <KeyCaps of="references.first" />}
              {i === 1 && <KeyCaps of="references.second" />}
            </Button>
          </span>
          <div
            className="bg-sheet px-3 py-2 font-mono text-sm break-words whitespace-pre-wrap"
            dir="auto"
          >
            {i === 1 ? <WordChanges words={row.words} whole /> : d.text}
            {d.forms.map((f) => (
              <p key={f} className="mt-1 text-xs text-soft">
                also right: {f}
              </p>
            ))}
          </div>
        </div>
      ))}
      {both && (
        <Button className="justify-self-start" disabled={all.pending} onClick={both}>
          Both are right <KeyCaps of="references.both" />
        </Button>
      )}
    </div>
  )
}
