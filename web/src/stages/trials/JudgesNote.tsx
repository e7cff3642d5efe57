import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { trialJudgesQuery } from '@/api/trials'
import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { count, plural, score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { Word } from '@/parts/Word'

type Judge = Schemas['JudgeShape']
type Props = { trial: Schemas['TrialSummary']; onOpen: (output: number) => void }

/** The judges of a trial beside people's marks: a warning while there are none. */
export function JudgesNote({ trial, onOpen }: Props) {
  const [shown, setShown] = useState<string | null>(null)
  const found = useQuery({
    ...trialJudgesQuery(trial.id, [trial.scorecard, trial.done]),
    enabled: trial.judges.length > 0,
    placeholderData: (former) => former,
  })
  const judge = found.data?.find((j) => j.measure === shown)
  return (
    <>
      {(found.data ?? []).map((j) => (
        <Note
          key={j.measure}
          tone={toneOf(j)}
          title={
            <>
              {j.measure}: <Word of="judge">judged</Word> by {j.model}
            </>
          }
        >
          {trusted(j)} <TextAction onClick={() => setShown(j.measure)}>What sways it</TextAction>
        </Note>
      ))}
      <Overlay
        open={judge !== undefined}
        onOpenChange={(o) => !o && setShown(null)}
        title={`The judge of ${shown ?? ''}`}
        side
      >
        {judge && (
          <JudgeDetails
            judge={judge}
            onOpen={(output) => {
              setShown(null)
              onOpen(output)
            }}
          />
        )}
      </Overlay>
    </>
  )
}

function toneOf(j: Judge) {
  if (j.marked === 0) return 'attention' as const
  return (j.alpha ?? 0) >= 0.667 ? ('inform' as const) : ('attention' as const)
}

/** Krippendorff's customary bounds: 0.667 for tentative conclusions, 0.8 for firm ones. */
function trusted(j: Judge): string {
  if (j.marked === 0)
    return 'No person has marked one of these answers: nothing says yet whether this judge is right. Mark some under Review.'
  const figure =
    j.alpha === null
      ? 'Agreement cannot be told yet: every mark and judgement is the same.'
      : `Agreement with ${plural(j.marked, 'marked answer')}: ${score(j.alpha)} (${score(j.alpha_low)} to ${score(j.alpha_high)}).`
  if (j.alpha === null) return figure
  return `${figure} ${j.alpha >= 0.8 ? 'It judges much as people do.' : j.alpha >= 0.667 ? 'Good enough for tentative conclusions.' : 'Too little to rest a verdict on.'}`
}

function JudgeDetails({ judge, onOpen }: { judge: Judge; onOpen: (output: number) => void }) {
  const rows: [string, string][] = [
    ['Answers judged', count(judge.judged)],
    ['Judgements that failed', count(judge.failed)],
    [
      'Agreement with marks (alpha, ordinal)',
      judge.alpha === null
        ? judge.marked
          ? 'no variation'
          : 'no marks yet'
        : `${score(judge.alpha)} (${score(judge.alpha_low)} to ${score(judge.alpha_high)})`,
    ],
    ['Its scores and marks, rank correlation', relation(judge.with_marks)],
    ['Its scores and the length of the answer', relation(judge.with_length)],
    ['The order of what it reads', order(judge)],
  ]
  return (
    <div className="grid gap-4 text-sm">
      <dl>
        {rows.map(([name, value]) => (
          <div key={name} className="grid grid-cols-[18rem_1fr] gap-3 border-b border-rule py-1.5">
            <dt className="text-soft">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      <p className="text-soft">
        For agreement, a score up to one third stands for bad, up to two thirds for usable, above
        for good. A judge that likes long answers, or what stands first, is not judging what you
        asked.
      </p>
      <section>
        <h3 className="mb-1 text-base">Where it and people differ most</h3>
        {judge.apart.length === 0 && (
          <p className="text-soft">
            {judge.marked ? 'Nowhere by a whole step.' : 'Nothing is marked yet.'}
          </p>
        )}
        {judge.apart.map((a) => (
          <p key={a.output} className="border-b border-rule py-1">
            <TextAction onClick={() => onOpen(a.output)}>Open the answer</TextAction>{' '}
            <span className="font-mono text-xs">{score(a.score)}</span> from the judge, marked{' '}
            {a.mark}
          </p>
        ))}
      </section>
    </div>
  )
}

function relation(r: Judge['with_marks']): string {
  if (r.rho === null) return r.why_null ?? 'cannot be told'
  return `${score(r.rho)}${r.low === null ? '' : ` (${score(r.low)} to ${score(r.high)})`} over ${r.n}`
}

function order(j: Judge): string {
  const o = j.order
  if (!o) return j.kind === 'rubric' ? 'not probed: ask for two judgements or more' : 'not probed'
  if (o.pairs === 0) return 'nothing judged in both orders yet'
  if (o.of === 'answers')
    return `turned the choice in ${o.turned} of ${o.pairs}; chose what stood first in ${Math.round((o.first ?? 0) * 100)} % (${Math.round((o.low ?? 0) * 100)} to ${Math.round((o.high ?? 0) * 100)} %; 50 % is unswayed)`
  return `a criterion asked last instead of first moved in ${o.turned} of ${o.pairs}, by ${score(o.first)} on average`
}
