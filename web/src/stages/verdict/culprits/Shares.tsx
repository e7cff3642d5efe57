import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { count, plural, signed } from '@/parts/numbers'
import { WeightBar } from '../../draft/weights/WeightBar'
import { useFrame } from '../../frame'
import { SaveWithout } from './SaveWithout'
import { clausesOf, nameOf } from './useCulprits'

type Found = Schemas['SearchShape']
type Props = {
  found: Found
  trial: Schemas['TrialSummary']
  onAgain: () => void
  /** Draw orders, so that what acts together is told apart. */
  onOrders: () => void
}

const BAR = { helped: 'earns', hurt: 'hurts', 'not shown': '' } as const
const SHOWN = 8

/** The share of each amendment in the difference, the most harmful first, and who moved which case. */
export function Shares({ found, trial, onAgain, onOrders }: Props) {
  const { brief } = useFrame()
  const order = found.shares
    .map((share, place) => ({ share, place }))
    .sort((x, y) => x.share.share - y.share.share)
  const hurt = found.shares.filter((s) => s.word === 'hurt').flatMap((s) => s.amendments)
  const [chosen, setChosen] = useState<string[] | null>(null)
  const leave = chosen ?? hurt
  const reach = Math.max(0.02, ...found.shares.flatMap((s) => [Math.abs(s.low), Math.abs(s.high)]))
  if (found.message !== '')
    return (
      <section className="mt-5" aria-label="Which change did it" id="which">
        <h2 className="mb-1 border-b border-rule-strong pb-1 text-base">Which change did it</h2>
        <p className="text-sm text-harm">Cannot be told: {found.message}.</p>
        <TextAction onClick={onAgain}>Ask again</TextAction>
      </section>
    )
  return (
    <section className="mt-5" aria-label="Which change did it" id="which">
      <h2 className="flex items-baseline gap-3 border-b border-rule-strong pb-1 text-base">
        Which change did it
        <span className="font-sans text-xs font-normal text-soft">
          <Link
            className="underline underline-offset-2"
            to={`/briefs/${brief.id}/trials/${found.trial}`}
          >
            trial {found.trial_number}
          </Link>
          , {plural(found.n_used, 'case')}; together {signed(found.difference)}
        </span>
        <TextAction light className="ml-auto text-xs" onClick={onAgain}>
          Ask again
        </TextAction>
      </h2>
      <table className="w-full text-sm">
        <caption className="sr-only">Amendments, the most harmful first</caption>
        <tbody>
          {order.map(({ share: s, place }) => (
            <tr key={place} className="border-b border-rule align-baseline">
              <td className="w-6 py-1">
                <input
                  type="checkbox"
                  aria-label={`take back ${nameOf(found, s.amendments)}`}
                  checked={s.amendments.every((a) => leave.includes(a))}
                  onChange={(e) =>
                    setChosen(
                      e.target.checked
                        ? [...leave, ...s.amendments]
                        : leave.filter((a) => !s.amendments.includes(a)),
                    )
                  }
                />
              </td>
              <td className="py-1 pr-3">
                <Words found={found} ids={s.amendments} />
                {s.parts && (
                  <span className="block text-xs text-attention-text">
                    depends on the others: alone {signed(s.added)}, taken back last{' '}
                    {signed(s.taken_back)}
                  </span>
                )}
              </td>
              <td className="w-56 py-1 max-[900px]:hidden">
                <WeightBar
                  weight={s.share}
                  low={s.low}
                  high={s.high}
                  reach={reach}
                  verdict={BAR[s.word]}
                />
              </td>
              <td className="w-16 py-1 text-right font-mono text-xs">{signed(s.share)}</td>
              <td className="w-44 py-1 pl-3 text-xs">
                {s.word === 'not shown' ? (
                  <span className="text-soft">does nothing that is shown</span>
                ) : (
                  <strong className={s.word === 'hurt' ? 'text-harm' : 'text-action'}>
                    {s.word}
                  </strong>
                )}
                {s.better + s.worse > 0 && (
                  <span className="block text-soft">
                    {s.better} better, {s.worse} worse
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-xs text-soft">
        A suggestion until it is tested: the cases were chosen because they moved.{' '}
        {found.how === 'ends' &&
          'Each was added alone and taken back alone; where both agree, that is its share.'}
        {found.how === 'orders' &&
          'Each share is the mean of what the change adds in orders that were drawn; intervals resample cases and orders.'}
        {found.n_dropped > 0 && ` ${count(found.n_dropped)} cases lack a score.`}
      </p>
      {found.how === 'ends' && found.shares.some((s) => s.parts) && (
        <p className="mt-1 text-xs">
          {plural(found.shares.filter((s) => s.parts).length, 'change acts', 'changes act')}{' '}
          together with others:{' '}
          <TextAction onClick={onOrders}>draw orders to tell them apart…</TextAction>
        </p>
      )}
      <CasesMoved found={found} trial={trial.id} />
      <SaveWithout found={found} leave={leave} />
    </section>
  )
}

const KINDS = {
  add: 'added',
  amend: 'amended',
  strike: 'struck',
  move: 'moved',
  layout: '',
} as const

function Words({ found, ids }: { found: Found; ids: string[] }) {
  return (
    <>
      {clausesOf(found, ids).map((a) => (
        <span key={a.id} className="block">
          <span className="text-xs text-soft">
            {a.clause !== null && nameOf(found, [a.id])} {KINDS[a.kind]}
          </span>{' '}
          <span className={`font-serif ${a.kind === 'strike' ? 'line-through' : ''}`}>
            {a.text.length > 160 ? `${a.text.slice(0, 159)}…` : a.text}
          </span>
        </span>
      ))}
    </>
  )
}

/** Amendment × case: what each did to each case that moved, the worst case first. */
function CasesMoved({ found, trial }: { found: Found; trial: number }) {
  const { brief } = useFrame()
  const [all, setAll] = useState(false)
  const rows = all ? found.cases : found.cases.slice(0, SHOWN)
  const at = `/briefs/${brief.id}/trials/${trial}?show=${found.newer_arm},${found.older_arm}`
  return (
    <details className="mt-2 text-sm">
      <summary className="cursor-pointer text-action">
        What each did to the {plural(found.cases.length, 'case')} that moved
      </summary>
      <div className="mt-1 overflow-x-auto">
        <table className="text-xs">
          <thead className="text-soft">
            <tr>
              <th className="py-1 pr-3 text-left font-normal">case</th>
              <th className="pr-3 text-right font-normal">change</th>
              {found.shares.map((s) => (
                <th
                  key={s.amendments.join()}
                  className="max-w-32 truncate pr-3 text-right font-normal"
                >
                  {nameOf(found, s.amendments)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((c) => (
              <tr key={c.revision} className="border-t border-rule font-mono">
                <td className="py-0.5 pr-3">
                  <Link className="underline" to={`${at}&case=${c.case}`}>
                    {c.case}
                  </Link>
                </td>
                <td className="pr-3 text-right">{signed(c.change, 2)}</td>
                {c.shares.map((x, i) => (
                  <td
                    key={i}
                    className={`pr-3 text-right ${i === c.by ? 'font-semibold' : 'text-soft'} ${i === c.by ? (x < 0 ? 'text-harm' : 'text-action') : ''}`}
                  >
                    {Math.abs(x) < 0.005 ? '·' : signed(x, 2)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {found.cases.length > SHOWN && (
          <TextAction light className="mt-1 text-xs" onClick={() => setAll(!all)}>
            {all ? `the first ${SHOWN} only` : `all ${count(found.cases.length)}`}
          </TextAction>
        )}
      </div>
    </details>
  )
}
