import type { Schemas } from '@/api/client'
import { plural, pValue, score } from '@/parts/numbers'
import { Part } from './Part'

type Arm = Schemas['ArmOnBoard']
type Comparison = Schemas['ComparisonShape']

/** The test behind the decision: its figures, what it is corrected for, and what no arm beats. */
export function HowSure({
  comparison: c,
  credible,
  arms,
}: {
  comparison: Comparison
  /** Arms that no other beats; none until that is worked out. */
  credible: number[]
  arms: Arm[]
}) {
  const f = c.figures
  const finding = [
    f && `${testOf(f.method)} on ${plural(f.n_cases, 'case')}`,
    c.complete && f?.p_holm != null && `p ${pValue(f.p_holm)}, held to ${c.level}`,
    c.n_family > 1 && `corrected for ${c.n_family}`,
  ]
    .filter(Boolean)
    .join('; ')
  return (
    <Part number={3} title="How sure, and by what test" finding={finding}>
      <div className="grid max-w-3xl gap-2 text-sm">
        <p className="font-serif text-base">{c.words}</p>
        {f?.method && <p className="text-soft">Interval and test: {f.method}.</p>}
        {c.no_worse_words && (
          <p>
            <span className="font-semibold">No worse within {score(c.margin)}?</span>{' '}
            {c.no_worse_words}
          </p>
        )}
        {c.complete && <Credible ids={credible} arms={arms} />}
      </div>
    </Part>
  )
}

/** “bca, sign-flip grid” names an interval and a test: the test alone. */
function testOf(method: string | null): string {
  return method?.includes('sign-flip') ? 'sign-flip test' : (method ?? 'no test')
}

/** The arms that no other beats, all comparisons taken at once. */
function Credible({ ids, arms }: { ids: number[]; arms: Arm[] }) {
  const members = arms.filter((x) => ids.includes(x.id))
  if (members.length === 0 || arms.length < 2) return null
  return (
    <p className="text-soft">
      {members.length === arms.length ? (
        `No arm beats another, all ${arms.length} taken at once.`
      ) : (
        <>
          Not beaten by any arm, all {arms.length} taken at once:{' '}
          <span className="text-ink">{members.map((x) => x.name).join(', ')}</span>.
        </>
      )}
    </p>
  )
}
