import { caseName } from '@/parts/caseName'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { pinCase } from '@/api/drafts'
import { markOutput } from '@/api/reviews'
import { askAfresh, outputQuery, useOutput } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { KeyCaps } from '@/keys/KeyCaps'
import { KeyHints } from '@/keys/KeyHints'
import type { KeyName } from '@/keys/registry'
import { useKeys } from '@/keys/useKeys'
import { Note } from '@/parts/Margin'
import { Overlay } from '@/parts/overlay'
import { ScoreChip } from '@/parts/ScoreChip'
import { forgetTyped, useTyped } from '@/parts/typed'
import { MakePrecedent } from '../../review/precedents/MakePrecedent'
import { AmendmentsBetween } from '../../verdict/AmendmentsBetween'
import { movedBy, useCulprits } from '../../verdict/culprits/useCulprits'
import { useFrame } from '../../frame'
import { csvIn } from '@/parts/csv'
import type { Answers } from './useAnswers'
import type { OpenCaseState } from './useOpenCase'

type Trial = Schemas['TrialSummary']
type Output = Schemas['OutputShape']
type Judgement = 'good' | 'usable' | 'bad'

const MARKS: [Judgement, KeyName][] = [
  ['good', 'answer.good'],
  ['usable', 'answer.usable'],
  ['bad', 'answer.bad'],
]

type Props = { trial: Trial; answers: Answers; state: OpenCaseState }

/** Beside an open case: marks that never move, why the score, what can be done with the answer. */
export function AnswerMargin({ trial, answers, state }: Props) {
  const id = state.outputs[answers.focus]?.output ?? null
  const found = useOutput(id)
  const arm = trial.arms.find((a) => a.id === answers.shown[answers.focus]?.arm)
  const o = found.data
  const [from, to] = versionsOf(trial, answers)
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      <h2 className="truncate text-base" title={arm?.name}>
        Answer {answers.focus + 1}: {arm?.name}
      </h2>
      {o && <Marks key={o.id} output={o} state={state} />}
      {o && o.scores.length > 0 && (
        <Note tone="action" title={o.total === null ? 'No total' : `Why ${o.total.toFixed(2)}`}>
          <span className="grid gap-1 font-sans">
            {o.scores.map((s) => (
              <span key={s.measure} className="grid grid-cols-[2.6rem_minmax(0,1fr)] gap-1.5">
                <ScoreChip value={s.score} />
                <span className="text-xs break-words">
                  <span className="font-semibold">{s.measure}</span>{' '}
                  <span className="text-soft">{s.why}</span>
                </span>
              </span>
            ))}
          </span>
        </Note>
      )}
      {from !== null && to !== null && (
        <>
          {o && <MovedBy trial={trial} answers={answers} revision={o.case.revision} />}
          <AmendmentsBetween brief={brief.id} from={from} to={to} />
        </>
      )}
      {o && <Acts key={`acts ${o.id}`} output={o} trial={trial} state={state} />}
      <KeyHints
        rows={[
          [['answer.next', 'answer.before'], 'case'],
          [['answer.left', 'answer.right'], 'answer'],
          [['answer.other'], 'another arm'],
          [['answer.many'], 'how many'],
          [['answer.differences'], 'differences'],
          [['answer.unmarked'], 'next unmarked'],
          [['answer.close'], 'all cases'],
        ]}
      />
    </div>
  )
}

/** The change that moved this case from one arm to the other, where that was found out. */
function MovedBy({ trial, answers, revision }: Omit<Props, 'state'> & { revision: number }) {
  const { brief } = useFrame()
  const arms = answers.shown
    .map((s) => trial.arms.find((x) => x.id === s.arm))
    .sort((x, y) => (x?.version ?? 0) - (y?.version ?? 0))
  const { found } = useCulprits(brief.id, trial.id, arms[0]?.id, arms.at(-1)?.id ?? 0)
  const name = movedBy(found).get(revision)
  if (name === undefined) return null
  return (
    <Note tone="action" title={`${name} moved this case`}>
      As far as trial {found?.trial_number} shows.
    </Note>
  )
}

/** Of two answers by different versions: from the older to the newer. */
function versionsOf(trial: Trial, answers: Answers): [number | null, number | null] {
  const [a, b] = answers.shown.map((s) => trial.arms.find((x) => x.id === s.arm)?.version ?? null)
  if (a == null || b == null || a === b) return [null, null]
  return [Math.min(a, b), Math.max(a, b)]
}

function Marks({ output: o, state }: { output: Output; state: OpenCaseState }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const place = `answer ${o.id}`
  const [comment, setComment] = useTyped(`${place} comment`, o.mark?.comment ?? '')
  const { write, problem } = useWrite([['brief', brief.id]])
  const mark = (judgement: Judgement) =>
    void write(async () => {
      await markOutput(o.id, {
        judgement,
        comment,
        spans: o.mark?.spans ?? [],
        faults: o.mark?.faults ?? [],
        better: o.mark?.better ?? null,
        // Chosen by a person: it says nothing about the arm as a whole.
        drawn: false,
        former: null,
        since: '',
      })
      forgetTyped(place)
      state.setSaid(`Marked ${judgement}.`)
      await cache.invalidateQueries({ queryKey: outputQuery(o.id).queryKey })
      void cache.invalidateQueries({ queryKey: ['trial', o.trial, 'arms'] })
    })
  useKeys({
    'answer.good': () => mark('good'),
    'answer.usable': () => mark('usable'),
    'answer.bad': () => mark('bad'),
    'answer.comment': () =>
      document.querySelector<HTMLTextAreaElement>('[data-answer-comment]')?.focus(),
  })
  const marked = o.mark?.judgement
  const changed = o.mark !== null && comment !== o.mark.comment
  return (
    <div className="grid gap-2">
      <div className="grid grid-cols-3 gap-1.5">
        {MARKS.map(([judgement, key]) => (
          <button
            key={judgement}
            type="button"
            aria-pressed={marked === judgement}
            onClick={() => mark(judgement)}
            className="flex items-center gap-1.5 rounded-sm border border-rule-strong bg-sheet px-1.5 py-1 text-sm hover:border-ink aria-pressed:border-2 aria-pressed:border-ink aria-pressed:font-semibold"
          >
            <KeyCaps of={key} />
            {judgement}
          </button>
        ))}
      </div>
      <textarea
        aria-label="What is wrong with it, or right"
        data-answer-comment
        rows={2}
        placeholder={marked ? 'what you said of it' : 'What is wrong · C'}
        className="w-full rounded-sm border border-rule-strong bg-sheet px-2 py-1 text-sm"
        value={comment}
        onChange={(e) => setComment(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Escape') {
            // Out of the field, not out of the case.
            e.stopPropagation()
            e.nativeEvent.stopImmediatePropagation()
            e.currentTarget.blur()
          }
          if (e.key === 'Enter' && (e.ctrlKey || e.metaKey) && marked) mark(marked)
        }}
      />
      {!marked && comment && (
        <p className="text-xs text-soft">Kept here until you mark it; the mark takes it along.</p>
      )}
      {changed && (
        <button
          type="button"
          className="text-left text-xs text-action underline"
          onClick={() => mark(marked as Judgement)}
        >
          Keep what you said, marked {marked} as before
        </button>
      )}
      {problem !== null && (
        <p role="alert" className="text-xs text-harm">
          The mark was not stored; what you said is still here. {inWords(problem)}
        </p>
      )}
    </div>
  )
}

function Acts({ output: o, trial, state }: { output: Output; trial: Trial; state: OpenCaseState }) {
  const { brief, inHand } = useFrame()
  const [holding, setHolding] = useState(false)
  const { write, problem } = useWrite([
    ['trial', trial.id],
    ['brief', brief.id],
  ])
  const resting = !['running', 'queued'].includes(trial.state)
  const csv = csvIn(o.text)
  const navigate = useNavigate()
  const canTeach = Boolean(o.mark?.better ?? o.case.reference)
  const copy = (text: string, what: string) =>
    void navigator.clipboard.writeText(text).then(
      () => state.setSaid(`Copied ${what}.`),
      () => state.setSaid('The browser lets nothing be copied here.'),
    )
  // What was brought in has nobody who could be asked.
  const askable = resting && o.current && !o.arm.brought_in
  const again = () =>
    void write(async () => {
      await askAfresh(o.trial, { output: o.id, arm: null, budget: null })
      state.setSaid('Asked again; the former answer is kept beside the new one.')
    })
  const keep = () =>
    void write(async () => {
      await pinCase(brief.id, { revision: o.case.revision, pinned: true })
      state.setSaid(`Case ${caseName(o.case)} is among the kept cases of the draft.`)
    })
  const example = `/briefs/${brief.id}/draft?${inHand === null ? '' : `v=${inHand}&`}example=${o.id}`
  useKeys({
    'answer.precedent': () => setHolding(true),
    'answer.keep': keep,
    'answer.example': canTeach ? () => void navigate(example) : undefined,
    'answer.again': askable ? again : undefined,
    'answer.copy': () => copy(o.text, 'the answer'),
    'answer.csv': csv === null ? undefined : () => copy(csv, 'the table as CSV'),
  })
  return (
    <div className="grid gap-1.5 text-sm">
      <Act of="answer.correct" words="put what is wanted right" />
      <Act of="answer.precedent" words="hold every version to it" act={() => setHolding(true)} />
      {canTeach && (
        <Act
          of="answer.example"
          words="use as a worked example"
          act={() => void navigate(example)}
        />
      )}
      <Act of="answer.keep" words="add to the kept cases" act={keep} />
      {askable && <Act of="answer.again" words="ask again, paid anew" act={again} />}
      <Act of="answer.copy" words="copy the answer" act={() => copy(o.text, 'the answer')} />
      {csv !== null && (
        <Act
          of="answer.csv"
          words="copy its table as CSV"
          act={() => copy(csv, 'the table as CSV')}
        />
      )}
      {problem !== null && (
        <p role="alert" className="text-xs text-harm">
          {inWords(problem)}
        </p>
      )}
      <Overlay open={holding} onOpenChange={setHolding} title="Hold every version to it">
        {holding && <MakePrecedent output={o.id} close={() => setHolding(false)} />}
      </Overlay>
    </div>
  )
}

function Act({ of, words, act }: { of: KeyName; words: string; act?: () => void }) {
  const inner = (
    <>
      <KeyCaps of={of} />
      {words}
    </>
  )
  if (!act) return <span className="flex items-center gap-2">{inner}</span>
  return (
    <button
      type="button"
      onClick={act}
      className="flex items-center gap-2 text-left hover:underline"
    >
      {inner}
    </button>
  )
}
