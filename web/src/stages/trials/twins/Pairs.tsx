import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { getPairsQuery, leaveTwins, listTwinsQuery, searchFurther } from '@/api/twins'
import { useWrite } from '@/api/useWrite'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { TwinAnswer } from './TwinAnswer'
import { expectedOf, type Only, type Seen, type TwinSet } from './useTwins'

type Pair = Schemas['HeldPair']
type Props = {
  set: TwinSet
  held: Schemas['HeldShape']
  trial: number
  seen: Seen
  onLook: (part: Partial<Seen>) => void
  /** A further set was made. */
  onFurther: (set: number) => void
}

const PAGE = 40
const ONLY: [Only, string][] = [
  ['broken', 'that break'],
  ['all', 'all'],
  ['unknown', 'that cannot be told'],
]

/** Case and twin, and both answers, beside each other with their differences marked. */
export function Pairs({ set, held, trial, seen, onLook, onFurther }: Props) {
  const { brief } = useFrame()
  const { write, pending, problem } = useWrite([listTwinsQuery(brief.id).queryKey])
  const [page, setPage] = useState(0)
  const arm = held.arms.find((a) => a.arm === seen.arm) ?? held.arms[0]
  const query = {
    ...(arm ? { arm: arm.arm } : {}),
    ...(seen.kind ? { kind: seen.kind } : {}),
    ...(seen.case === null ? {} : { case: seen.case }),
    only: seen.only,
    offset: page * PAGE,
  }
  const pairs = useQuery({ ...getPairsQuery(set.id, trial, query), retry: false })
  const what = held.kinds.find((k) => k.kind === seen.kind)?.what
  const n = pairs.data?.n ?? 0
  return (
    <section className="mt-5" aria-label="Pairs" id="pairs">
      <h2 className="flex flex-wrap items-baseline gap-x-3 border-b border-rule-strong pb-1 text-base">
        {arm?.name}: {what ?? 'every kind'}
        {seen.case !== null && `, case ${seen.case}`}
        <span
          className="flex gap-x-3 font-sans text-xs font-normal"
          role="radiogroup"
          aria-label="Pairs shown"
        >
          {ONLY.map(([only, words]) => (
            <button
              key={only}
              type="button"
              role="radio"
              aria-checked={seen.only === only}
              className={seen.only === only ? 'font-semibold' : 'text-soft hover:underline'}
              onClick={() => [setPage(0), onLook({ only })]}
            >
              {words}
            </button>
          ))}
        </span>
        {arm && arm.broken > 0 && (
          <Link
            className="font-sans text-xs font-normal text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/review?view=faults&trial=${trial}&version=${arm.version}`}
          >
            Turn what breaks into changes
          </Link>
        )}
        {arm && arm.broken > 0 && (
          <TextAction
            light
            className="font-sans text-xs font-normal"
            disabled={pending}
            title="Twins of the kinds and cases that broke, and their changes fewer at a time; nobody is asked yet"
            onClick={() =>
              void write(async () => onFurther((await searchFurther(set.id, trial, arm.arm)).id))
            }
          >
            Search further where it breaks
          </TextAction>
        )}
        {(seen.kind !== '' || seen.case !== null) && (
          <TextAction
            light
            className="ml-auto font-sans text-xs font-normal"
            onClick={() => [setPage(0), onLook({ kind: '', case: null, only: 'broken' })]}
          >
            every kind and case
          </TextAction>
        )}
      </h2>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {pairs.isPending && <Waiting what="the pairs" />}
      {pairs.isError && <ErrorLine>{inWords(pairs.error)}</ErrorLine>}
      {pairs.isSuccess && n === 0 && (
        <p className="py-3 text-sm text-soft">
          {seen.only === 'broken' ? 'None of these breaks.' : 'There are none of these.'}
        </p>
      )}
      <ol>
        {pairs.data?.rows.map((p) => (
          <li key={`${p.id} ${p.arm}`} className="border-b border-rule py-3">
            <PairView set={set} pair={p} trial={trial} kind={seen.kind} />
          </li>
        ))}
      </ol>
      {n > PAGE && (
        <p className="mt-2 flex items-center gap-3 text-xs">
          {count(page * PAGE + 1)} to {count(Math.min(n, (page + 1) * PAGE))} of {plural(n, 'pair')}
          {page > 0 && <TextAction onClick={() => setPage(page - 1)}>those before</TextAction>}
          {(page + 1) * PAGE < n && (
            <TextAction onClick={() => setPage(page + 1)}>the next</TextAction>
          )}
        </p>
      )}
    </section>
  )
}

type ViewProps = { set: TwinSet; pair: Pair; trial: number; kind: string }

function PairView({ set, pair: p, trial, kind }: ViewProps) {
  const { brief } = useFrame()
  const client = useQueryClient()
  const { write, pending, problem } = useWrite([listTwinsQuery(brief.id).queryKey])
  const leave = () =>
    void write(async () => {
      await leaveTwins(set.id, [p.id], true)
      await client.invalidateQueries({ queryKey: ['twins', set.id] })
    })
  return (
    <article aria-label={`Twin ${p.number} of case ${p.case}`}>
      <p className="flex flex-wrap items-baseline gap-x-3 text-xs text-soft">
        <span>
          <Link
            className="underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${trial}?show=${p.arm}&case=${p.case}`}
          >
            case {p.case}
          </Link>
          {kind === '' && `, ${p.what}`}
        </span>
        <span>expected: {expectedOf(p)}</span>
        <span className="ml-auto flex gap-3">
          <Link
            className="underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${trial}?show=${p.arm}&case=${p.number}`}
          >
            open the answer
          </Link>
          <TextAction
            light
            className="text-xs"
            disabled={pending}
            title="It expects what it should not: it counts for nothing, here and later"
            onClick={leave}
          >
            Leave this twin
          </TextAction>
        </span>
      </p>
      <TwinAnswer
        words={p.words}
        answer={p.answer}
        answerWords={p.answer_words}
        holds={p.holds === null ? null : p.holds === 1}
        why={p.why}
      />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </article>
  )
}
