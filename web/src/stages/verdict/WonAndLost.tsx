import { caseName } from '@/parts/caseName'
import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { count, plural, signed } from '@/parts/numbers'
import { useFrame } from '../frame'
import { AmendmentsBetween } from './AmendmentsBetween'
import { changedPart } from './changedPart'
import { movedBy, useCulprits } from './culprits/useCulprits'
import { WhichChange } from './culprits/WhichChange'

type Arm = Schemas['ArmOnBoard']
type Case = Schemas['ChangedCase']

type Props = {
  trial: Schemas['TrialSummary']
  a: Arm
  b: Arm
  changed: Case[]
  /** Cases that both have a score on. */
  n: number
}

/** Cases that got worse and that got better, beside each other; each is read side by side. */
export function WonAndLost({ trial, a, b, changed, n }: Props) {
  const { brief } = useFrame()
  const worse = changed.filter((x) => x.difference < 0)
  const better = changed.filter((x) => x.difference > 0).reverse()
  const board = `/briefs/${brief.id}/trials/${trial.id}?arms=${a.id},${b.id}`
  const show = `show=${a.id},${b.id}`
  const first = worse[0] ?? better[0]
  const [older, newer] = (a.version ?? 0) > (b.version ?? 0) ? [b, a] : [a, b]
  const { found } = useCulprits(brief.id, trial.id, older.id, newer.id)
  const moved = movedBy(found)
  return (
    <section className="mt-5">
      <div className="grid grid-cols-2 gap-x-6 gap-y-4 max-[900px]:grid-cols-1">
        <Side
          title={`Worse in ${plural(worse.length, 'case')}`}
          rows={worse}
          moved={moved}
          at={`${board}&${show}`}
        />
        <Side
          title={`Better in ${plural(better.length, 'case')}`}
          rows={better}
          moved={moved}
          at={`${board}&${show}`}
        />
      </div>
      <p className="mt-2 flex gap-4 text-xs">
        {first && (
          <Link
            className="text-action underline underline-offset-2"
            to={`${board}&differ=yes&order=differ&${show}&case=${first.number}`}
          >
            Read the {count(changed.length)} side by side
          </Link>
        )}
        {n > changed.length && (
          <Link className="text-action underline underline-offset-2" to={`${board}&alike=yes`}>
            Alike in {count(n - changed.length)}
          </Link>
        )}
      </p>
      {a.version !== null && b.version !== null && !found && (
        <AmendmentsBetween brief={brief.id} from={b.version} to={a.version} />
      )}
      <WhichChange trial={trial} a={a} b={b} />
    </section>
  )
}

const SEEN = 6

type SideProps = { title: string; rows: Case[]; moved: Map<number, string>; at: string }

function Side({ title, rows, moved, at }: SideProps) {
  const [all, setAll] = useState(false)
  return (
    <div className="min-w-0">
      <h2 className="border-b border-rule-strong pb-1 text-base">{title}</h2>
      <ul>
        {(all ? rows : rows.slice(0, SEEN)).map((r) => (
          <li key={r.revision} className="border-b border-rule">
            <Link
              to={`${at}&case=${r.number}`}
              className="grid grid-cols-[minmax(2.2rem,auto)_minmax(0,1fr)_3.2rem] gap-x-2 py-1 text-sm hover:bg-sheet"
            >
              <span className="font-mono text-xs text-soft truncate" title={r.id || undefined}>
                {caseName(r)}
              </span>
              <span className="truncate" title={r.text}>
                {r.text}
              </span>
              <span
                className={`text-right font-mono text-xs ${r.difference < 0 ? 'text-harm' : 'text-action'}`}
              >
                {signed(r.difference, 2)}
              </span>
              <span />
              <Between
                b={r.b.text}
                a={r.a.text}
                worse={r.difference < 0}
                by={moved.get(r.revision)}
              />
            </Link>
          </li>
        ))}
      </ul>
      {rows.length > SEEN && (
        <TextAction light className="mt-1 text-xs" onClick={() => setAll(!all)}>
          {all ? `the first ${SEEN} only` : `all ${count(rows.length)}`}
        </TextAction>
      )}
    </div>
  )
}

type BetweenProps = { b: string; a: string; worse: boolean; by: string | undefined }

/** From one answer to the other in a line, and which change moved it where that is known. */
function Between({ b, a, worse, by }: BetweenProps) {
  const [from, to] = changedPart(b, a)
  return (
    <span className="col-span-2 truncate font-mono text-2xs text-soft">
      {by !== undefined && (
        <span className="font-sans font-semibold" title="the change that moved this case">
          {by}:{' '}
        </span>
      )}
      {from} → <span className={worse ? 'text-harm' : 'text-action'}>{to}</span>
    </span>
  )
}
