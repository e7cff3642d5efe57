import { WordChanges } from '@/parts/WordChanges'
import { useState } from 'react'
import { type Schemas, inWords } from '@/api/client'
import { silenceFinding } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, TextAction } from '@/parts/controls'
import { useTyped } from '@/parts/typed'

type Amendment = Schemas['AmendmentShape']

const WORDS = {
  add: 'added',
  amend: 'amended',
  strike: 'struck',
  move: 'moved',
  layout: 'layout',
} as const
const TONES = {
  add: 'action',
  amend: 'attention',
  strike: 'harm',
  move: 'inform',
  layout: 'plain',
} as const

type Run = [Amendment, ...Amendment[]]

/** Changes in order; clauses added one after the other are told in one note. */
export function runsOf(amendments: Amendment[], reasons: Reason[] = []): Run[] {
  const runs: Run[] = []
  // What has a reason of its own is a note of its own.
  const own = (a: Amendment) => reasonOf(a, reasons) !== undefined
  for (const a of amendments) {
    const last = runs.at(-1)
    const end = last?.at(-1)
    const follows =
      a.kind === 'add' &&
      end?.kind === 'add' &&
      a.after?.number === (end.after?.number ?? 0) + 1 &&
      a.after.message === end.after?.message
    if (last && follows && !own(a) && !(end && own(end))) last.push(a)
    else runs.push([a])
  }
  return runs
}

export type Reason = Schemas['ReasonShape']

/** Why a change was made, where it was proposed and taken; told by its clause and its words. */
export function reasonOf(a: Amendment, reasons: Reason[]): Reason | undefined {
  return reasons.find((r) => {
    if (r.kind === 'add')
      return a.kind === 'add' && a.after !== null && r.text.includes(a.after.text.trim())
    if (a.before?.number !== r.clause) return false
    return r.kind === 'strike'
      ? a.kind === 'strike'
      : a.after !== null && r.text.includes(a.after.text.trim())
  })
}

type AmendmentProps = {
  run: Run
  all: Amendment[]
  parent: number
  reason?: Reason | undefined
  putBack: () => void
}

/** A change against the parent, as a note beside its clause; one press puts the clause back. */
export function AmendmentNote({ run, all, parent, reason, putBack }: AmendmentProps) {
  const { kind, before, after, detail, words } = run[0]
  const end = run.at(-1)?.after?.number
  const span = after && end !== after.number ? `${after.number}–${end}` : after?.number
  const number = after ? `§ ${span} ` : before ? `v${parent} § ${before.number} ` : ''
  const ids = new Set(run.map((a) => a.id))
  const dependants = all.filter((a) => !ids.has(a.id) && a.requires.some((r) => ids.has(r))).length
  return (
    <Note
      tone={TONES[kind]}
      title={
        <>
          {number}
          {WORDS[kind]} <span className="font-normal text-soft">since v{parent}</span>
        </>
      }
    >
      {kind === 'amend' && <WordChanges words={words} />}
      {kind === 'strike' && before && <s className="text-soft">{short(before.text)}</s>}
      {kind === 'move' && before && `It was § ${before.number}. `}
      {kind === 'move' && before?.text !== after?.text && <WordChanges words={words} />}
      {kind === 'layout' && `${detail[0]?.toUpperCase()}${detail.slice(1)}.`}{' '}
      {reason && (
        <>
          {reason.reason}
          {reason.fault && (
            <span className="block font-sans text-xs text-soft">
              Answers “{short(reason.fault, 90)}”
              {(reason.cases ?? 0) > 0 && `, ${reason.cases} cases`}.
            </span>
          )}
        </>
      )}{' '}
      <button
        type="button"
        className="font-sans text-xs text-soft underline underline-offset-2 hover:text-ink"
        onClick={putBack}
      >
        Undo this change{dependants ? `, with ${dependants} more that need it` : ''}
      </button>
    </Note>
  )
}

export function short(text: string, limit = 130): string {
  return text.length > limit ? `${text.slice(0, limit - 1)}…` : text
}

const SEVERITIES = {
  note: ['plain', 'Worth a look'],
  warning: ['attention', 'Look first'],
  error: ['harm', 'Cannot run'],
} as const

/** A weak spot that was told without asking a model; where its mending is known, one press does it. */
export function FindingNote({
  finding,
  mend,
  brief,
}: {
  finding: Schemas['FindingShape']
  mend: (() => void) | null
  brief: number
}) {
  const [asking, setAsking] = useState(false)
  const [reason, setReason] = useTyped(`not here ${brief} ${finding.rule}`, '')
  const { silence, problem } = useSilence(brief)
  const [tone, word] = SEVERITIES[finding.severity]
  return (
    <Note
      tone={tone}
      title={
        <>
          {finding.clause !== null && `§ ${finding.clause} `}
          {word} <span className="font-normal text-soft">{finding.rule.replaceAll('-', ' ')}</span>
        </>
      }
    >
      {finding.text[0]?.toUpperCase()}
      {finding.text.slice(1)}
      {finding.text.endsWith('…') ? '' : '.'}
      {mend && (
        <>
          {' '}
          <TextAction className="font-sans text-xs" data-take onClick={mend}>
            {finding.fix?.text === ''
              ? 'Take it out'
              : `Put “${shortened(finding.fix?.text ?? '')}”`}
          </TextAction>
        </>
      )}{' '}
      {!asking && finding.severity !== 'error' && (
        <button
          type="button"
          data-leave
          className="font-sans text-xs text-soft underline underline-offset-2 hover:text-ink"
          onClick={() => setAsking(true)}
        >
          Not here…
        </button>
      )}
      {asking && (
        <form
          className="mt-1 flex gap-1"
          onSubmit={(e) => {
            e.preventDefault()
            void silence(finding.rule, reason)
          }}
        >
          <input
            // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
            autoFocus
            aria-label="Why this does not apply to the brief"
            placeholder="why not?"
            className="h-7 min-w-0 flex-1 rounded-sm border border-rule-strong bg-sheet px-1.5 font-sans text-xs"
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Button small type="submit">
            Silence
          </Button>
        </form>
      )}
      {problem !== null && <span className="font-sans text-xs text-harm">{inWords(problem)}</span>}
    </Note>
  )
}

function shortened(text: string): string {
  return text.length > 24 ? `${text.slice(0, 23)}…` : text
}

/** What was silenced for this brief, and the way back. */
export function SilencedNote({ rows, brief }: { rows: Schemas['SilencedShape'][]; brief: number }) {
  const { silence, problem } = useSilence(brief)
  return (
    <Note
      title={`${rows.length} ${rows.length === 1 ? 'finding' : 'findings'} silenced for this brief`}
    >
      {rows.map((row) => (
        <span key={row.rule} className="block">
          {row.rule.replaceAll('-', ' ')}: {row.reason}.{' '}
          <TextAction className="font-sans text-xs" onClick={() => void silence(row.rule, null)}>
            Hear it again
          </TextAction>
        </span>
      ))}
      {problem !== null && <span className="font-sans text-xs text-harm">{inWords(problem)}</span>}
    </Note>
  )
}

function useSilence(brief: number) {
  const { write, problem } = useWrite([['draft', brief]])
  const silence = (rule: string, reason: string | null) =>
    write(async () => {
      await silenceFinding(brief, { rule, reason })
    })
  return { silence, problem }
}
