import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { count, plural, pValue, score, signed } from '@/parts/numbers'
import { useFrame } from '../../frame'

type Round = Schemas['RoundShape']

/** One round: the faults it answered, every candidate with its evidence, and what was kept. */
export function RoundPart({ round }: { round: Round }) {
  const { brief } = useFrame()
  const [faults, setFaults] = useState(false)
  const trial = round.tested ?? round.measured
  return (
    <section className="mt-6">
      <h2 className="flex items-baseline justify-between border-b border-rule-strong pb-1 text-lg">
        <span>
          Round {round.number}, from v{round.parent}
        </span>
        {trial !== null && (
          <Link
            className="font-sans text-xs font-semibold text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${trial}`}
          >
            Its trial
          </Link>
        )}
      </h2>
      {round.why && (
        <p className="mt-1 font-serif text-base">
          {round.kept !== null ? (
            <>
              <strong>v{round.kept} was kept</strong>: {round.why}.
            </>
          ) : (
            <>Nothing was kept: {round.why}.</>
          )}
        </p>
      )}
      {round.faults.length > 0 && (
        <p className="mt-1 text-xs text-soft">
          {plural(round.faults.length, 'fault')} gathered
          {round.spared > 0 &&
            `, ${count(round.spared)} answers spared by dropping losers early`}.{' '}
          <TextAction light onClick={() => setFaults(!faults)}>
            {faults ? 'Hide the faults' : 'Which faults'}
          </TextAction>
        </p>
      )}
      {faults && (
        <ol className="mt-1 list-decimal pl-6 text-sm">
          {round.faults.map((f, i) => (
            <li key={i} className="break-words">
              {f.label && f.label !== f.title && <span className="font-semibold">{f.label}: </span>}
              {f.title} <span className="text-xs text-soft">{plural(f.cases, 'case')}</span>
            </li>
          ))}
        </ol>
      )}
      {round.candidates.map((c) => (
        <Candidate
          key={c.place}
          candidate={c}
          kept={c.version !== null && c.version === round.kept}
        />
      ))}
    </section>
  )
}

function Candidate({
  candidate: c,
  kept,
}: {
  candidate: Schemas['CandidateShape']
  kept: boolean
}) {
  const { brief } = useFrame()
  return (
    <article
      className={`grid grid-cols-[minmax(0,1fr)_15rem] gap-4 border-b border-rule py-2 ${kept ? 'border-l-2 border-l-action pl-3' : 'pl-3.5'}`}
    >
      <div className="min-w-0">
        <p className="text-xs text-soft">
          Candidate {c.place}
          {c.version !== null && (
            <>
              ,{' '}
              <Link
                className="font-semibold text-action underline underline-offset-2"
                to={`/briefs/${brief.id}/draft?v=${c.version}`}
              >
                v{c.version}
              </Link>
            </>
          )}
          {c.faults.length > 0 &&
            `, asked to answer ${c.faults.length === 1 ? 'fault' : 'faults'} ${c.faults.map((f) => f + 1).join(', ')}`}
        </p>
        {c.reasons.map((r, i) => (
          <p
            key={i}
            className="mt-0.5 font-serif text-base leading-snug break-words"
            title={r.reason}
          >
            <span className="font-sans text-xs text-soft">
              {r.kind === 'add'
                ? r.clause === 0
                  ? 'before §1 '
                  : `after §${r.clause} `
                : `§${r.clause} ${r.kind === 'strike' ? 'struck' : 'reads'} `}
            </span>
            {r.text}
          </p>
        ))}
        {!c.answered && <p className="text-sm text-soft">Waiting for the model that proposes.</p>}
        {c.why && <p className="text-sm text-attention-text">No version of it: {c.why}.</p>}
        {c.refused.map((r) => (
          <p key={r.place} className="text-xs text-harm">
            Proposal {r.place} refused: {r.reason}.
          </p>
        ))}
      </div>
      <div className="text-xs text-soft">
        {c.figures && (
          <>
            <p className="font-mono text-xs text-ink">
              <span className="text-sm font-semibold">{signed(c.figures.difference)}</span>{' '}
              <span className="text-soft">
                {signed(c.figures.low)} to {signed(c.figures.high)}
              </span>
            </p>
            <p>
              against its parent on {plural(c.figures.n_cases, 'case')}, p {pValue(c.figures.p)}
            </p>
            <p>
              scores {score(c.figures.mean)}
              {c.figures.left_after !== null &&
                `; dropped after ${plural(c.figures.left_after, 'case')}`}
            </p>
          </>
        )}
      </div>
    </article>
  )
}
