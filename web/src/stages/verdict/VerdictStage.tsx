import { useState, type ReactNode } from 'react'
import { useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { useTrial, useTrials } from '@/api/trials'
import { useComparison, useVerdicts } from '@/api/verdicts'
import { Note } from '@/parts/Margin'
import { Button, Choice, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { money, plural, score, signed } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { PrecedentsNote } from '../review/precedents/PrecedentsNote'
import { DoubtfulNote } from '../trials/DoubtfulNote'
import { OutputView } from '../trials/OutputView'
import { Adopt } from './Adopt'
import { AmendmentsBetween } from './AmendmentsBetween'
import { Forest } from './Forest'
import { Frontier } from './Frontier'
import { HeldOutCheck } from './HeldOutCheck'
import { armName } from './names'
import { Spread } from './Spread'
import { Notices, WatchOver } from './Standing'

type Arm = Schemas['ArmOnBoard']
type Trial = Schemas['TrialSummary']

/** Verdict: two arms on the same cases, how sure the difference is, and the decision. */
export function VerdictStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const trials = useTrials(brief.id)
  const ended = (trials.data ?? []).filter(
    (t) => t.purpose === 'compare' && ['complete', 'cancelled', 'paused'].includes(t.state),
  )
  const asked = Number(search.get('trial'))
  // Newest first; a held-out check is read beside the trial that it checks.
  const chosen =
    ended.find((t) => t.id === asked) ?? ended.find((t) => t.split === 'working') ?? ended[0]
  const trial = useTrial(chosen?.id ?? null)
  if (trials.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trials" />
      </div>
    )
  if (!chosen) {
    return (
      <div className="px-6">
        <Empty title="Nothing to decide yet.">
          A verdict compares two arms of a trial that has ended.
        </Empty>
      </div>
    )
  }
  if (trial.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(trial.error)}</ErrorLine>
      </div>
    )
  if (!trial.data)
    return (
      <div className="px-6">
        <Waiting what="the trial" />
      </div>
    )
  const set = (values: Record<string, number>) => {
    Object.entries(values).forEach(([k, v]) => search.set(k, String(v)))
    setSearch(search)
  }
  return (
    <Comparing key={trial.data.id} trial={trial.data} trials={ended} search={search} set={set} />
  )
}

type ComparingProps = {
  trial: Trial
  trials: Schemas['TrialRow'][]
  search: URLSearchParams
  set: (values: Record<string, number>) => void
}

function Comparing({ trial, trials, search, set }: ComparingProps) {
  const { brief } = useFrame()
  const verdicts = useVerdicts(brief.id)
  const [opened, setOpened] = useState<number | null>(null)
  const ranked = [...trial.arms].sort((x, y) => (y.mean ?? -1) - (x.mean ?? -1))
  const adoptedArm = verdicts.data?.[0]?.arm.id
  const byId = (id: number) => trial.arms.find((x) => x.id === id)
  // It opens with what the plan named, before anything was looked at.
  const b =
    byId(Number(search.get('b'))) ??
    byId(trial.reference ?? -1) ??
    byId(adoptedArm ?? -1) ??
    ranked[1]
  const a = byId(Number(search.get('a'))) ?? plannedAgainst(trial.arms, b) ?? ranked[0]
  const rival = b && a && b.id === a.id ? ranked.find((x) => x.id !== a.id) : b
  const comparison = useComparison(trial.id, a?.id ?? null, rival?.id ?? null)
  if (!a || !rival) {
    return (
      <div className="px-6">
        <Empty title="This trial has one arm.">
          There is nothing to compare it with. Run a second version, model or setting on the same
          cases.
        </Empty>
      </div>
    )
  }
  const c = comparison.data
  return (
    <StageGrid
      margin={
        <div className="grid gap-4">
          <Notices />
          <h2 className="text-base">Before you decide</h2>
          {trial.doubtful.turns && <DoubtfulNote trial={trial} onOpen={setOpened} />}
          <PrecedentsNote
            trial={trial}
            brief={brief.id}
            arms={[a.id, rival.id]}
            onOpen={setOpened}
          />
          <HeldOutCheck key={`${a.id} ${rival.id}`} trial={trial} a={a} b={rival} />
          <BeforeDeciding trial={trial} a={a} b={rival} comparison={c} />
          <Exports brief={brief.id} trial={trial.id} a={a} b={rival.id} />
          <Adopt trial={trial} arm={a} against={rival} />
          <Former verdicts={verdicts.data ?? []} />
          <WatchOver />
        </div>
      }
    >
      <div className="flex items-center gap-3">
        <h1 className="text-xl">Which is better?</h1>
        <span className="ml-auto text-sm whitespace-nowrap text-soft">
          {plural(trial.n_cases, trial.split === 'held-out' ? 'held-out case' : 'working case')},
          scorecard {trial.scorecard}
        </span>
        <Choice
          label="Trial"
          hideLabel
          className="w-36"
          value={trial.id}
          onChange={(e) => set({ trial: Number(e.target.value) })}
        >
          {trials.map((t) => (
            <option key={t.id} value={t.id}>
              Trial {t.number}
            </option>
          ))}
        </Choice>
      </div>
      <div className="mt-3 flex items-end gap-3">
        <ArmChoice
          label="This arm"
          arms={ranked}
          value={a.id}
          onChange={(id) => set({ a: id, b: rival.id })}
        />
        <span className="pb-1.5 text-sm text-soft">against</span>
        <ArmChoice
          label="The reference"
          arms={ranked}
          value={rival.id}
          onChange={(id) => set({ a: a.id, b: id })}
        />
        <Button onClick={() => set({ a: rival.id, b: a.id })}>Swap</Button>
      </div>
      {comparison.isError && <ErrorLine>{inWords(comparison.error)}</ErrorLine>}
      {!c && !comparison.isError && <Waiting what="the comparison" />}
      {c && (
        <>
          <p className="mt-5 max-w-3xl font-serif text-lg">{c.words}</p>
          {c.complete && c.widened && (
            <p className="mt-2 max-w-3xl border-l-2 border-attention pl-2 text-sm text-attention-text">
              {c.widened}
            </p>
          )}
          {c.earlier && (
            <p className="mt-2 max-w-3xl border-l-2 border-rule-strong pl-2 text-sm text-soft">
              Trial {c.earlier.trial_number} asked the same before and said: {c.earlier.words} This
              one counts as a further look at it.
            </p>
          )}
          {c.complete && <Credible ids={c.credible} arms={trial.arms} />}
          <Forest
            comparison={c}
            reference={rival}
            chosen={a.id}
            onChoose={(id) => set({ a: id, b: rival.id })}
          />
          <Frontier
            trial={trial.id}
            arms={trial.arms}
            comparison={c}
            reference={rival}
            chosen={a.id}
            onChoose={(id) => set({ a: id, b: rival.id })}
          />
          <Changed
            title={`${plural(c.changed.filter((x) => x.difference < 0).length, 'case')} where ${a.letter} scored lower`}
            rows={c.changed.filter((x) => x.difference < 0)}
            a={a}
            b={rival}
            onOpen={setOpened}
          >
            <AmendmentsBetween brief={brief.id} from={rival.version} to={a.version} />
          </Changed>
          <Changed
            title={`${plural(c.changed.filter((x) => x.difference > 0).length, 'case')} where ${a.letter} scored higher`}
            rows={c.changed.filter((x) => x.difference > 0).reverse()}
            a={a}
            b={rival}
            onOpen={setOpened}
          />
          {c.complete && <Spread trial={trial.id} a={a} b={rival} done={trial.done} />}
        </>
      )}
      <Overlay
        open={opened !== null}
        onOpenChange={(o) => !o && setOpened(null)}
        title="Answer"
        side
        hideTitle
      >
        {opened !== null && <OutputView id={opened} close={() => setOpened(null)} />}
      </Overlay>
    </StageGrid>
  )
}

/** The newest version that runs on the reference's model with its settings. */
function plannedAgainst(arms: Arm[], b: Arm | undefined): Arm | undefined {
  if (!b) return undefined
  const settings = JSON.stringify(b.settings)
  return arms
    .filter((x) => x.id !== b.id && x.model === b.model && JSON.stringify(x.settings) === settings)
    .sort((x, y) => y.version - x.version)[0]
}

function ArmChoice({
  label,
  arms,
  value,
  onChange,
}: {
  label: string
  arms: Arm[]
  value: number
  onChange: (id: number) => void
}) {
  return (
    <Choice
      label={label}
      className="min-w-0 flex-1"
      value={value}
      onChange={(e) => onChange(Number(e.target.value))}
    >
      {arms.map((x) => (
        <option key={x.id} value={x.id}>
          {x.letter}: {armName(x)}, {score(x.mean)}
        </option>
      ))}
    </Choice>
  )
}

/** The trial in files that need nothing of ours. */
function Exports({ brief, trial, a, b }: { brief: number; trial: number; a: Arm; b: number }) {
  const files: [string, string][] = [
    ['Report', `trials/${trial}/report/${a.id}/${b}/`],
    ['Scores, CSV', `trials/${trial}/scores.csv`],
    ['XLSX', `trials/${trial}/scores.xlsx`],
    ['Outputs, JSON Lines', `trials/${trial}/outputs.jsonl`],
    ['Calls, OTLP', `trials/${trial}/calls.otlp.json`],
    [`Prompt file of v${a.version}`, `briefs/${brief}/versions/${a.version}/prompt.md`],
  ]
  return (
    <Note title="Take it along">
      <span className="flex flex-wrap gap-x-3 font-sans text-xs">
        {files.map(([words, path]) => (
          <a
            key={path}
            className="font-semibold text-action underline"
            href={`/api/${path}`}
            download
          >
            {words}
          </a>
        ))}
      </span>
    </Note>
  )
}

/** The arms that no other beats, all comparisons taken at once. */
function Credible({ ids, arms }: { ids: number[]; arms: Arm[] }) {
  const members = arms.filter((x) => ids.includes(x.id))
  if (members.length === 0 || arms.length < 2) return null
  return (
    <p className="mt-2 max-w-3xl text-sm text-soft">
      {members.length === arms.length ? (
        `No arm beats another, all ${arms.length} taken at once.`
      ) : (
        <>
          Not beaten by any arm, all {arms.length} taken at once:{' '}
          <span className="text-ink">
            {members.map((x) => `${x.letter} (${x.version_label} on ${x.model_short})`).join(', ')}
          </span>
          .
        </>
      )}
    </p>
  )
}

type ChangedProps = {
  title: string
  rows: Schemas['ChangedCase'][]
  a: Arm
  b: Arm
  onOpen: (output: number) => void
  /** What may have brought the change about. */
  children?: ReactNode
}

const SHOWN = 12

function Changed({ title, rows, a, b, onOpen, children }: ChangedProps) {
  const [all, setAll] = useState(false)
  if (rows.length === 0) return null
  return (
    <section className="mt-6">
      <h2 className="text-base">{title}</h2>
      {children}
      <table className="mt-1 w-full table-fixed text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="w-[28%] py-1 font-semibold">Case</th>
            <th className="w-[20%] font-semibold">Reference</th>
            <th className="font-semibold">
              {b.letter}: {b.version_label} on {b.model_short}
            </th>
            <th className="font-semibold">
              {a.letter}: {a.version_label} on {a.model_short}
            </th>
            <th className="w-16 text-right font-semibold">Change</th>
          </tr>
        </thead>
        <tbody>
          {(all ? rows : rows.slice(0, SHOWN)).map((r) => (
            <tr key={r.revision} className="border-b border-rule align-top">
              <td className="py-1.5 pr-3">
                <span className="font-mono text-xs text-soft">{r.number}</span>{' '}
                <span className="break-words">{r.text}</span>
              </td>
              <td className="py-1.5 pr-3 font-mono text-2xs break-words text-soft">
                {r.reference ?? '–'}
              </td>
              {[r.b, r.a].map((side, i) => (
                <td key={i} className="py-1.5 pr-3">
                  <button
                    type="button"
                    className="w-full text-left hover:text-action"
                    onClick={() => onOpen(side.output)}
                  >
                    <span className="font-mono text-xs font-semibold">{score(side.score)}</span>
                    <span className="mt-0.5 line-clamp-3 font-mono text-2xs break-words">
                      {side.text}
                    </span>
                  </button>
                </td>
              ))}
              <td
                className={`py-1.5 text-right font-mono text-xs ${r.difference < 0 ? 'text-harm' : 'text-action'}`}
              >
                {signed(r.difference, 2)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!all && rows.length > SHOWN && (
        <Button kind="quiet" onClick={() => setAll(true)}>
          Show all {rows.length}
        </Button>
      )}
    </section>
  )
}

type BeforeProps = {
  trial: Trial
  a: Arm
  b: Arm
  comparison: Schemas['ComparisonShape'] | undefined
}

function BeforeDeciding({ trial, a, b, comparison }: BeforeProps) {
  const figures = comparison?.figures
  const lost = figures ? trial.n_cases - trial.examples - figures.n_cases : 0
  return (
    <>
      {trial.state !== 'complete' && (
        <Note tone="harm" title="The trial is not complete">
          Estimates only: no verdict can rest on part of a trial.
        </Note>
      )}
      {lost > 0 && (
        <Note tone="attention" title={`${plural(lost, 'case')} left out`}>
          One of the two arms has no score there; a failed call is missing, not 0.{' '}
          {comparison?.as_zero &&
            comparison.as_zero.difference !== null &&
            `Counted 0 instead, the difference is ${signed(comparison.as_zero.difference)} (${signed(comparison.as_zero.low)} to ${signed(comparison.as_zero.high)}).`}
        </Note>
      )}
      {trial.examples > 0 && (
        <Note tone="inform" title={`${plural(trial.examples, 'case')} left out`}>
          {trial.examples === 1 ? 'It stands' : 'They stand'} in an arm’s own text as a worked
          example, so {trial.examples === 1 ? 'it proves' : 'they prove'} nothing; left out for all
          arms.
        </Note>
      )}
      {figures?.cases_needed != null && figures.cases_needed > figures.n_cases && (
        <Note
          tone="inform"
          title={`${figures.cases_needed.toLocaleString('en')} cases for the margin`}
        >
          So many would show a difference as small as the scorecard’s margin four times in five;
          this trial compared {figures.n_cases}.
        </Note>
      )}
      {comparison && comparison.no_worse !== null && (
        <Note
          tone={comparison.no_worse ? 'action' : 'plain'}
          title={`No worse within ${score(comparison.margin)}?`}
        >
          {comparison.no_worse_words}
        </Note>
      )}
      {[a, b].map(
        (arm) =>
          arm.unseen && (
            <Note key={arm.id} title={`What ${arm.letter} may lose unseen`}>
              {arm.unseen}
            </Note>
          ),
      )}
      <Note title="Price and time">
        {a.letter} costs {money(a.cost_per_1000, 3)} per 1,000 answers, {b.letter}{' '}
        {money(b.cost_per_1000, 3)}.
      </Note>
    </>
  )
}

function Former({ verdicts }: { verdicts: Schemas['VerdictShape'][] }) {
  if (verdicts.length === 0) return <p className="text-sm text-soft">Nothing is adopted yet.</p>
  return (
    <section className="grid gap-3 border-t border-rule pt-3">
      {verdicts.map((v, i) => (
        <Note
          key={v.id}
          tone={i === 0 ? 'action' : 'plain'}
          title={`${i === 0 ? 'Adopted' : 'Adopted before'}: v${v.arm.version} on ${v.arm.model_short}`}
        >
          {v.reason}
          <span className="block font-sans text-xs text-soft">
            {v.decided_by},{' '}
            {new Date(v.decided_at).toLocaleDateString('en-GB', { dateStyle: 'medium' })}, trial{' '}
            {v.trial_number}
            {v.reworked &&
              `; by the rules of today it scores ${score(v.reworked.mean)}${v.reworked.low === null ? '' : ` (${score(v.reworked.low)} to ${score(v.reworked.high)})`} there, without a new call`}
          </span>
        </Note>
      ))}
    </section>
  )
}
