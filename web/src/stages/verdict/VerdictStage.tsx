import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { useTrial, useTrials } from '@/api/trials'
import { useComparison, useTogether, useVerdicts } from '@/api/verdicts'
import { Chooser } from '@/parts/Chooser'
import { Note } from '@/parts/Margin'
import { Button, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { WayTo } from '@/parts/Lacking'
import { count, plural, score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { PrecedentsNote } from '../review/precedents/PrecedentsNote'
import { DoubtfulNote } from '../trials/DoubtfulNote'
import { OutputView } from '../trials/OutputView'
import { Adopt } from './Adopt'
import { CheckList } from './CheckList'
import { Forest } from './Forest'
import { PriceAndTime } from './Frontier'
import { HowSure } from './HowSure'
import { priceInWords } from './price'
import { Spread } from './Spread'
import { Notices, WatchOver } from './Standing'
import { WonAndLost } from './WonAndLost'

type Arm = Schemas['ArmOnBoard']
type Trial = Schemas['TrialSummary']

/** Verdict: two arms on the same cases, how sure the difference is, and the decision. */
export function VerdictStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const trials = useTrials(brief.id)
  const all = trials.data ?? []
  const ended = all.filter(
    (t) => t.purpose === 'compare' && ['complete', 'cancelled', 'paused'].includes(t.state),
  )
  const asked = Number(search.get('trial'))
  // Newest first; a held-out check is read beside the trial that it checks.
  const chosen =
    all.find((t) => t.id === asked) ??
    ended.find((t) => t.split === 'working' && !t.archived) ??
    ended[0] ??
    all[0]
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
          A verdict compares two arms of a trial:{' '}
          <WayTo words="plan one" to={`/briefs/${brief.id}/trials/plan`} />.
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
  return <Comparing key={trial.data.id} trial={trial.data} trials={all} search={search} set={set} />
}

type ComparingProps = {
  trial: Trial
  trials: Schemas['ListedTrial'][]
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
  const together = useTogether(trial.id, rival?.id, comparison.data !== undefined)
  const credible = together.data?.credible ?? []
  if (!a || !rival)
    return <OneArm trial={trial} arm={a} trials={trials} set={set} verdicts={verdicts.data ?? []} />
  const c = comparison.data
  return (
    <StageGrid
      margin={
        <div className="grid gap-4">
          <Notices />
          <h2 className="text-base">Before you decide</h2>
          <CheckList trial={trial} a={a} b={rival} comparison={c} />
          {trial.doubtful.turns && <DoubtfulNote trial={trial} onOpen={setOpened} />}
          <PrecedentsNote
            trial={trial}
            brief={brief.id}
            arms={[a.id, rival.id]}
            onOpen={setOpened}
          />
          <CasesNeeded figures={c?.figures} />
          <Exports brief={brief.id} trial={trial.id} a={a} b={rival.id} />
          {a.brought_in ? (
            <Note title="There is nothing to adopt">
              {a.in_words} was brought in. Swap the two to adopt what is held against it.
            </Note>
          ) : (
            <Adopt
              trial={trial}
              arm={a}
              against={rival}
              comparing={c === undefined && !comparison.isError}
            />
          )}
          <Former verdicts={verdicts.data ?? []} />
          <WatchOver />
        </div>
      }
    >
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <h1 className="min-w-0 text-xl">
          Is{' '}
          <ArmChoice
            label="This arm"
            arms={ranked}
            value={a}
            onChange={(id) => set(id === rival.id ? { a: id, b: a.id } : { a: id, b: rival.id })}
          />{' '}
          better than{' '}
          <ArmChoice
            label="Compared with"
            arms={ranked}
            value={rival}
            onChange={(id) => set(id === a.id ? { a: rival.id, b: id } : { a: a.id, b: id })}
          />
          ?
        </h1>
        <span className="ml-auto flex items-baseline gap-3 text-sm whitespace-nowrap text-soft">
          <TrialChoice trial={trial} trials={trials} onChoose={(id) => set({ trial: id })} />
          <Button small onClick={() => set({ a: rival.id, b: a.id })}>
            Swap
          </Button>
        </span>
      </div>
      {comparison.isError && <ErrorLine>{inWords(comparison.error)}</ErrorLine>}
      {!c && !comparison.isError && <Waiting what="the comparison" />}
      {c && (
        <>
          <div className="mt-3 grid grid-cols-[max-content_minmax(0,1fr)] items-baseline gap-x-6 max-[900px]:grid-cols-1">
            <p className="font-serif text-2xl font-semibold">{inAWord(c, a, rival)}</p>
            <p className="max-w-3xl font-serif text-lg">
              {c.short} {priceInWords(a, rival)}
            </p>
          </div>
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
          <WonAndLost
            trial={trial}
            a={a}
            b={rival}
            changed={c.changed}
            n={c.figures?.n_cases ?? 0}
          />
          <Forest
            comparison={c}
            widths={together.data?.widths ?? []}
            arms={trial.arms}
            reference={rival}
            chosen={a.id}
            onChoose={(id) => set({ a: id, b: rival.id })}
          />
          <div className="mt-5">
            <PriceAndTime
              trial={trial.id}
              arms={trial.arms}
              comparison={c}
              reference={rival}
              chosen={a.id}
              onChoose={(id) => set({ a: id, b: rival.id })}
            />
            {c.complete ? (
              <Spread trial={trial.id} a={a} b={rival} done={trial.done}>
                <HowSure comparison={c} credible={credible} arms={trial.arms} />
              </Spread>
            ) : (
              <HowSure comparison={c} credible={credible} arms={trial.arms} />
            )}
          </div>
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
  if (b.brought_in)
    return arms
      .filter((x) => !x.brought_in)
      .sort((x, y) => (y.version ?? 0) - (x.version ?? 0) || x.position - y.position)[0]
  const settings = JSON.stringify(b.settings)
  return arms
    .filter((x) => x.id !== b.id && x.model === b.model && JSON.stringify(x.settings) === settings)
    .sort((x, y) => (y.version ?? 0) - (x.version ?? 0))[0]
}

type ChoiceProps = { label: string; arms: Arm[]; value: Arm; onChange: (id: number) => void }

/** An arm in the question, chosen in its place; the highest stand first. */
function ArmChoice({ label, arms, value, onChange }: ChoiceProps) {
  return (
    <Chooser label={label} words={value.name}>
      {(close) => (
        <ul className="grid gap-0.5">
          {arms.map((x) => (
            <li key={x.id}>
              <button
                type="button"
                aria-current={x.id === value.id ? 'true' : undefined}
                className="flex w-full items-baseline gap-2 rounded-sm px-1.5 py-0.5 text-left hover:bg-wash-action aria-[current=true]:font-semibold"
                onClick={() => {
                  onChange(x.id)
                  close()
                }}
              >
                <span className="w-6 shrink-0 font-mono text-xs text-soft">{x.letter}</span>
                <span className="min-w-0 flex-1 break-words">{x.name}</span>
                <span className="font-mono text-xs">{score(x.mean)}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </Chooser>
  )
}

function TrialChoice({
  trial,
  trials,
  onChoose,
}: {
  trial: Trial
  trials: Schemas['ListedTrial'][]
  onChoose: (id: number) => void
}) {
  const words = `trial ${trial.number}, ${plural(trial.n_cases, trial.split === 'held-out' ? 'held-out case' : 'working case')}, scorecard ${trial.scorecard}`
  return (
    <Chooser label="Trial" words={words}>
      {(close) => (
        <ul className="grid gap-0.5">
          {trials.map((t) => (
            <li key={t.id}>
              <button
                type="button"
                aria-current={t.id === trial.id ? 'true' : undefined}
                className="w-full rounded-sm px-1.5 py-0.5 text-left whitespace-normal hover:bg-wash-action aria-[current=true]:font-semibold"
                onClick={() => {
                  onChoose(t.id)
                  close()
                }}
              >
                {t.number}: {t.question || 'no question'}{' '}
                <span className="text-xs font-normal text-soft">
                  {t.state}
                  {t.purpose === 'compare' ? '' : `, ${t.purpose}`}
                  {t.archived ? ', archived' : ''}
                </span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </Chooser>
  )
}

type OneArmProps = {
  trial: Trial
  arm: Arm | undefined
  trials: Schemas['ListedTrial'][]
  set: (values: Record<string, number>) => void
  verdicts: Schemas['VerdictShape'][]
}

/** A trial of one arm: nothing to compare it with, and all the same its figures, files and adoption. */
function OneArm({ trial, arm, trials, set, verdicts }: OneArmProps) {
  const { brief } = useFrame()
  return (
    <StageGrid
      margin={
        <div className="grid gap-4">
          <Notices />
          {arm && <Exports brief={brief.id} trial={trial.id} a={arm} b={null} />}
          {arm && !arm.brought_in && <Adopt trial={trial} arm={arm} against={null} />}
          <Former verdicts={verdicts} />
          <WatchOver />
        </div>
      }
    >
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-xl">What {arm?.name ?? 'it'} scores</h1>
        <span className="ml-auto text-sm text-soft">
          <TrialChoice trial={trial} trials={trials} onChoose={(id) => set({ trial: id })} />
        </span>
      </div>
      {arm && arm.mean !== null ? (
        <p className="mt-3 max-w-3xl font-serif text-lg">
          {score(arm.mean)} on {plural(arm.n_cases, 'case')}, between {score(arm.low)} and{' '}
          {score(arm.high)} (95 %){trial.state === 'complete' ? '' : ', so far'}. {arm.unseen}
        </p>
      ) : (
        <p className="mt-3 text-sm text-soft">Nothing has a score yet.</p>
      )}
      <Empty title="This trial has one arm.">
        There is nothing to compare it with. Run a second version, model or setting on the same
        cases.
      </Empty>
    </StageGrid>
  )
}

/** The comparison in a word or two. */
function inAWord(c: Schemas['ComparisonShape'], a: Arm, b: Arm): string {
  const f = c.figures
  if (!c.complete) return 'So far'
  if (!f || f.difference === null || f.p_holm === null) return 'Cannot tell'
  if (f.p_holm <= c.level) return f.difference > 0 ? 'Better' : 'Worse'
  const cheaper = (a.cost_per_1000 ?? Infinity) < 0.95 * (b.cost_per_1000 ?? 0)
  if (c.no_worse && cheaper) return 'No worse and cheaper'
  const within = f.low !== null && f.high !== null && f.low > -c.margin && f.high < c.margin
  return within ? 'Level' : 'Not shown'
}

/** The trial in files that need nothing of ours. */
function Exports({
  brief,
  trial,
  a,
  b,
}: {
  brief: number
  trial: number
  a: Arm
  b: number | null
}) {
  const files: [string, string][] = [
    ...(b === null ? [] : [['Report', `trials/${trial}/report/${a.id}/${b}/`] as [string, string]]),
    ['Scores, CSV', `trials/${trial}/scores.csv`],
    ['Sheet with inputs, answers, what was wanted and why', `trials/${trial}/scores.xlsx`],
    ['Outputs, JSON Lines', `trials/${trial}/outputs.jsonl`],
    ['Calls, OTLP', `trials/${trial}/calls.otlp.json`],
    ...(a.version === null
      ? []
      : [
          [`Prompt file of v${a.version}`, `briefs/${brief}/versions/${a.version}/prompt.md`] as [
            string,
            string,
          ],
        ]),
  ]
  return (
    <Note title="Take along…">
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

/** Whether so few cases could show a difference that matters. */
function CasesNeeded({ figures }: { figures: Schemas['ComparisonShape']['figures'] | undefined }) {
  const needed = figures?.cases_needed
  if (!figures || needed == null || needed <= figures.n_cases) return null
  return (
    <Note tone="inform" title={`About ${count(needed)} cases show the margin`}>
      So many would show a difference as small as the scorecard’s margin four times in five; this
      trial compared {count(figures.n_cases)}.
    </Note>
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
