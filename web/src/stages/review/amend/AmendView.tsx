import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { placeRemark, trialFaultsQuery } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { useTrial, useTrials } from '@/api/trials'
import { Note } from '@/parts/Margin'
import { Choice, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { OutputView } from '../../trials/OutputView'
import { useModels } from '../../draft/try/ModelPicks'
import { FaultRow } from './FaultRow'
import { Grouping } from './Grouping'
import { Proposing } from './Proposing'
import type { Purpose } from './purpose'

/** What speaks against a version, grouped and counted, and the amendments that would put it right. */
export function AmendView({ nav }: { nav: ReactNode }) {
  const { brief, inHand } = useFrame()
  const trials = useTrials(brief.id)
  const named = useNamed()
  const [chosenTrial, setTrial] = useState<number | null>(named('trial'))
  const usable = (trials.data ?? []).filter((t) => t.split === 'working' && t.done > 0)
  const trialId = chosenTrial ?? firstOf(usable)
  const trial = useTrial(trialId)
  const [chosenVersion, setVersion] = useState<number | null>(named('version'))
  // Answers that were brought in have no text that could be amended.
  const versions = [
    ...new Set((trial.data?.arms ?? []).flatMap((a) => (a.version === null ? [] : [a.version]))),
  ].sort((a, b) => b - a)
  const version =
    chosenVersion !== null && versions.includes(chosenVersion)
      ? chosenVersion
      : inHand !== null && versions.includes(inHand)
        ? inHand
        : (versions[0] ?? null)
  const [purpose, setPurpose] = useState<Purpose>('amendments')
  const [target, setTarget] = useState<number | null>(null)
  const models = useModels()
  // A prompt is adapted to a model by that model's own failures.
  const answering = models.filter((m) =>
    (trial.data?.arms ?? []).some((a) => a.model === m.name && a.version === version),
  )
  const only = purpose === 'adapt' ? (target ?? answering[0]?.id ?? null) : null
  const found = useQuery({
    ...trialFaultsQuery(trialId ?? 0, version ?? 0, only === null ? {} : { model: only }),
    enabled: trialId !== null && version !== null,
    staleTime: 0,
  })
  const { place, busy, problem } = usePlacing(trialId, version, only)
  const [ticked, setTicked] = useState<string[] | null>(null)
  const [shown, setShown] = useState<number | null>(null)
  const faults = found.data?.faults ?? []
  // The commonest are what is worth a clause; the person changes the choice.
  const picked = (ticked ?? faults.slice(0, 5).map((f) => f.key)).filter((key) =>
    faults.some((f) => f.key === key),
  )
  if (trials.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trials" />
      </div>
    )
  if (usable.length === 0) {
    return (
      <div className="px-6 pt-4">
        {nav}
        <Empty title="No answers to learn from yet.">
          Run a trial on working cases; then read some of its answers and mark them.
        </Empty>
      </div>
    )
  }
  return (
    <StageGrid
      margin={
        <div className="grid gap-4">
          <Note title="Where faults come from">
            Marks with a comment, comments on words, kinds of fault, better answers, and scores
            under 0.5 with their why; of twins, those that do not behave. Working cases only: a
            fault found on a held-out case would spoil it.
          </Note>
          <Note title="What a model is shown">
            The clauses of {version === null ? 'the version' : `v${version}`}, and of each ticked
            fault up to eight examples. You read and change the request before it goes.
          </Note>
        </div>
      }
    >
      {nav}
      <FaultChoices
        trials={usable}
        trial={trialId}
        versions={versions}
        version={version}
        purpose={purpose}
        models={answering}
        model={only}
        onChange={(next) => {
          if (next.purpose) setPurpose(next.purpose)
          if (next.model) setTarget(next.model)
          if (next.trial) setTrial(next.trial)
          if (next.version) setVersion(next.version)
          setTicked(null)
        }}
      />
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.isPending && <Waiting what="the faults" />}
      {purpose !== 'shorter' && found.data && faults.length === 0 && (
        <Empty title="Nothing speaks against this version here.">
          No mark says so, and no measure gave less than 0.5.
        </Empty>
      )}
      {purpose === 'shorter' && (
        <p className="mt-3 max-w-2xl font-serif text-base">
          A model proposes what can go or be said in fewer words. Whether the score is no worse
          within the margin, a trial of both versions tells.
        </p>
      )}
      {purpose !== 'shorter' && faults.length > 0 && (
        <>
          <ul className="mt-2" aria-label="Faults">
            {faults.map((f) => (
              <FaultRow
                key={f.key}
                fault={f}
                faults={faults}
                busy={busy}
                onPlace={place}
                ticked={picked.includes(f.key)}
                onTick={(on) =>
                  setTicked(on ? [...picked, f.key] : picked.filter((p) => p !== f.key))
                }
                onOpen={setShown}
              />
            ))}
          </ul>
          {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
          {found.data && trialId !== null && version !== null && (
            <Grouping trial={trialId} version={version} told={found.data} />
          )}
        </>
      )}
      {trialId !== null && version !== null && (picked.length > 0 || purpose !== 'amendments') && (
        <Proposing
          key={`${trialId} ${version} ${purpose} ${only ?? ''}`}
          trial={trialId}
          version={version}
          purpose={purpose}
          model={only}
          faults={faults}
          picked={purpose === 'shorter' ? [] : faults.filter((f) => picked.includes(f.key))}
          onOpen={setShown}
        />
      )}
      <Overlay
        open={shown !== null}
        onOpenChange={(o) => !o && setShown(null)}
        title="Answer"
        side
        hideTitle
      >
        {shown !== null && <OutputView id={shown} close={() => setShown(null)} />}
      </Overlay>
    </StageGrid>
  )
}

/** A person says where a remark belongs. */
function usePlacing(trial: number | null, version: number | null, model: number | null) {
  const { write, pending, problem } = useWrite([['trial', trial, 'faults']])
  const place = (remark: string, beside: string | null) =>
    void write(
      async () => void (await placeRemark(trial ?? 0, version ?? 0, { remark, beside, model })),
    )
  return { place, busy: pending, problem }
}

type Choices = { purpose?: Purpose; model?: number; trial?: number; version?: number }
type ChoicesProps = {
  trials: Schemas['TrialRow'][]
  trial: number | null
  versions: number[]
  version: number | null
  purpose: Purpose
  models: Schemas['ModelShape'][]
  model: number | null
  onChange: (next: Choices) => void
}

/** Which faults, and what they are to be put right for. */
function FaultChoices(props: ChoicesProps) {
  const { trials, trial, versions, version, purpose, models, model, onChange } = props
  return (
    <div className="flex flex-wrap items-end gap-3 border-b border-rule pb-2">
      <h1 className="mr-2 text-xl">
        {version === null
          ? 'Faults'
          : purpose === 'shorter'
            ? `Make v${version} shorter`
            : `Faults of v${version}`}
      </h1>
      <Choice
        label="To"
        className="w-56"
        value={purpose}
        onChange={(e) => onChange({ purpose: e.target.value as Purpose })}
      >
        <option value="amendments">put faults right</option>
        <option value="shorter">make it shorter and cheaper</option>
        <option value="adapt">suit one model</option>
      </Choice>
      {purpose === 'adapt' && (
        <Choice
          label="Model"
          className="w-44"
          value={model ?? ''}
          onChange={(e) => onChange({ model: Number(e.target.value) })}
        >
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
            </option>
          ))}
        </Choice>
      )}
      <Choice
        label="In trial"
        className="w-44"
        value={trial ?? ''}
        onChange={(e) => onChange({ trial: Number(e.target.value) })}
      >
        {trials.map((t) => (
          <option key={t.id} value={t.id}>
            trial {t.number}
            {t.question ? `: ${t.question}` : ''}
          </option>
        ))}
      </Choice>
      <Choice
        label="Version"
        className="w-24"
        value={version ?? ''}
        onChange={(e) => onChange({ version: Number(e.target.value) })}
      >
        {versions.map((v) => (
          <option key={v} value={v}>
            v{v}
          </option>
        ))}
      </Choice>
    </div>
  )
}

/** A link names what is to be looked at: a trial, and a version of it. */
function useNamed() {
  const [search] = useSearchParams()
  return (name: string) => Number(search.get(name)) || null
}

/** The newest that compares versions; else the newest of all. */
function firstOf(trials: Schemas['ListedTrial'][]): number | null {
  return (trials.find((t) => t.purpose === 'compare') ?? trials[0])?.id ?? null
}
