import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, Problem } from '@/api/client'
import { keys, useRefreshBrief } from '@/api/queries'
import { Area, Button, Choice, Empty, ErrorLine, Field, TextAction } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'

const TASKS = ['classify', 'extract', 'summarise', 'rewrite', 'write', 'converse', 'other']

type Row = { measure: string; name?: string; weight?: number; gate?: boolean; [parameter: string]: unknown }
type Card = { nomikon: string; margin?: number; measures: Row[] }

/** Brief: the job in words, and what counts as good. */
export function BriefStage() {
  const { brief } = useFrame()
  return (
    <StageGrid margin={<BriefMargin />}>
      <JobForm key={brief.id} />
      <ScorecardPart key={`card-${brief.scorecard?.id ?? 0}`} />
    </StageGrid>
  )
}

function BriefMargin() {
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      {!brief.job && (
        <Note tone="attention" title="The job is not stated">
          Say what goes in, what must come out, for whom, in what tone and format, what is
          forbidden and what counts as good.
        </Note>
      )}
      <Note title="How a total is made">
        The total is the weighted mean of the measures, from 0 to 1. A gate that is not passed
        makes it 0. A cut, declined or empty answer scores 0; a failed call is missing, never 0.
      </Note>
      <Note title="The margin of a scorecard">
        Differences within it do not matter to you. It fixes how many cases a comparison needs, so
        choose it before you look.
      </Note>
    </div>
  )
}

function JobForm() {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const [name, setName] = useState(brief.name)
  const [job, setJob] = useState(brief.job)
  const [task, setTask] = useState(brief.task)
  const [problem, setProblem] = useState<unknown>(null)
  const changed = name !== brief.name || job !== brief.job || task !== brief.task
  const save = async () => {
    setProblem(null)
    try {
      await dataOf(
        api.PUT('/api/briefs/{brief_id}/change/', {
          params: { path: { brief_id: brief.id } }, body: { name, job, task },
        }),
      )
      refresh()
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <form
      className="max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <div className="mb-3 flex items-center justify-between">
        <h1 className="text-xl">The job</h1>
        <Button kind="main" type="submit" disabled={!changed}>
          Save the brief
        </Button>
      </div>
      <div className="grid gap-3">
        <div className="grid grid-cols-[1fr_12rem] gap-3">
          <Field label="Name" value={name} onChange={(e) => setName(e.target.value)} />
          <Choice label="Kind of task" value={task} onChange={(e) => setTask(e.target.value)}>
            {TASKS.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </Choice>
        </div>
        <Area
          label="What goes in, what must come out, for whom, in what tone and format, what is forbidden, what counts as good"
          rows={6}
          className="[&_textarea]:font-serif [&_textarea]:text-base"
          value={job}
          onChange={(e) => setJob(e.target.value)}
        />
        {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      </div>
    </form>
  )
}

function ScorecardPart() {
  const { brief } = useFrame()
  const [editing, setEditing] = useState(false)
  const card = brief.scorecard?.document as Card | undefined
  return (
    <section className="mt-8 max-w-3xl border-t border-rule pt-4">
      <div className="flex items-center justify-between">
        <h2 className="text-xl">
          {brief.scorecard ? `Scorecard ${brief.scorecard.number}` : 'Scorecard'}
        </h2>
        {!editing && (
          <Button onClick={() => setEditing(true)}>{card ? 'Change…' : 'Write a scorecard…'}</Button>
        )}
      </div>
      {editing ? (
        <ScorecardForm card={card} onDone={() => setEditing(false)} />
      ) : card ? (
        <CardTable card={card} />
      ) : (
        <Empty title="Nothing says yet what counts as good.">
          A scorecard names the measures, their weights and which of them are gates. A trial needs one.
        </Empty>
      )}
    </section>
  )
}

function CardTable({ card }: { card: Card }) {
  return (
    <>
      <table className="mt-2 w-full text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1.5 font-semibold">Measure</th>
            <th className="font-semibold">How</th>
            <th className="w-20 text-right font-semibold">Weight</th>
            <th className="w-20 text-right font-semibold">Gate</th>
          </tr>
        </thead>
        <tbody>
          {card.measures.map((m) => (
            <tr key={m.name ?? m.measure} className="border-b border-rule align-top">
              <td className="py-2 pr-4 font-semibold">{m.name ?? m.measure}</td>
              <td className="py-2 pr-4">
                {m.measure}
                <span className="block font-mono text-2xs break-all text-soft">{parametersOf(m)}</span>
              </td>
              <td className="py-2 text-right font-mono">{m.weight ?? 1}</td>
              <td className="py-2 text-right">{m.gate ? 'gate' : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-sm text-soft">
        Margin <span className="font-mono">{(card.margin ?? 0.05).toFixed(2)}</span>
      </p>
    </>
  )
}

const OWN = ['measure', 'name', 'weight', 'gate']

function parametersOf(row: Row): string {
  const rest = Object.fromEntries(Object.entries(row).filter(([k]) => !OWN.includes(k)))
  return Object.keys(rest).length ? JSON.stringify(rest) : ''
}

type Draft = { measure: string; name: string; weight: string; gate: boolean; parameters: string }

function ScorecardForm({ card, onDone }: { card: Card | undefined; onDone: () => void }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const measures = useQuery({ queryKey: keys.measures, queryFn: () => dataOf(api.GET('/api/measures/')) })
  const [margin, setMargin] = useState(String(card?.margin ?? 0.05))
  const [rows, setRows] = useState<Draft[]>(
    (card?.measures ?? [{ measure: 'exact-match' }]).map((m) => ({
      measure: m.measure, name: m.name ?? '', weight: String(m.weight ?? 1), gate: m.gate ?? false,
      parameters: parametersOf(m),
    })),
  )
  const [problem, setProblem] = useState<{ at: number; text: string } | null>(null)
  const change = (at: number, part: Partial<Draft>) =>
    setRows(rows.map((r, i) => (i === at ? { ...r, ...part } : r)))
  const save = async () => {
    const built: Row[] = []
    for (const [at, row] of rows.entries()) {
      let parameters: Record<string, unknown> = {}
      try {
        if (row.parameters.trim()) parameters = JSON.parse(row.parameters) as Record<string, unknown>
      } catch (error) {
        setProblem({ at, text: `The parameters are not JSON: ${String((error as Error).message)}` })
        return
      }
      built.push({
        measure: row.measure, ...(row.name.trim() ? { name: row.name.trim() } : {}),
        weight: Number(row.weight), ...(row.gate ? { gate: true } : {}), ...parameters,
      })
    }
    try {
      await dataOf(
        api.POST('/api/briefs/{brief_id}/scorecards/', {
          params: { path: { brief_id: brief.id } },
          body: { document: { nomikon: 'scorecard/1', margin: Number(margin), measures: built } },
        }),
      )
      refresh()
      onDone()
    } catch (error) {
      const at = error instanceof Problem ? Number(/^measures\.(\d+)/.exec(error.field ?? '')?.[1] ?? -1) : -1
      setProblem({ at, text: inWords(error) })
    }
  }
  return (
    <div className="mt-3 grid gap-4">
      {rows.map((row, at) => {
        const known = measures.data?.find((m) => m.name === row.measure)
        return (
          <fieldset key={at} className="border-l-2 border-rule-strong pl-4">
            <div className="grid grid-cols-[11rem_1fr_5rem_5rem_auto] items-end gap-3">
              <Choice label="Measure" value={row.measure} onChange={(e) => {
                const example = measures.data?.find((m) => m.name === e.target.value)?.example.parameters ?? {}
                // Its worked example shows what the parameters look like; they are there to be changed.
                change(at, { measure: e.target.value, parameters: Object.keys(example).length ? JSON.stringify(example) : '' })
              }}>
                {[...new Set((measures.data ?? []).map((m) => m.family))].map((family) => (
                  <optgroup key={family} label={family}>
                    {measures.data?.filter((m) => m.family === family).map((m) => <option key={m.name}>{m.name}</option>)}
                  </optgroup>
                ))}
              </Choice>
              <Field label="Name" placeholder={row.measure} value={row.name} onChange={(e) => change(at, { name: e.target.value })} />
              <Field label="Weight" inputMode="decimal" value={row.weight} onChange={(e) => change(at, { weight: e.target.value })} />
              <label className="flex h-8 items-center gap-2 text-sm">
                <input type="checkbox" checked={row.gate} onChange={(e) => change(at, { gate: e.target.checked })} />
                Gate
              </label>
              <Button kind="quiet" onClick={() => setRows(rows.filter((_, i) => i !== at))}>
                Take out
              </Button>
            </div>
            <Area
              label={`Parameters, as JSON${known && Object.keys(known.parameters).length ? `: ${Object.entries(known.parameters).map(([n, what]) => `${n} (${what})`).join('; ')}` : ': none'}`}
              className="mt-2 [&_textarea]:font-mono [&_textarea]:text-xs"
              rows={2}
              value={row.parameters}
              error={problem?.at === at ? problem.text : null}
              onChange={(e) => change(at, { parameters: e.target.value })}
            />
            {known && (
              <p className="mt-1 text-xs text-soft">
                {known.description} {known.needs_reference && 'Without a reference it gives no score, and the total is missing. '}
                {known.example.score !== null && (
                  <>
                    For instance “{known.example.output}”
                    {known.example.reference !== null && <> against “{known.example.reference}”</>} scores{' '}
                    {known.example.score.toFixed(2)}{Object.keys(known.example.parameters).length > 0 && <> with <span className="font-mono">{JSON.stringify(known.example.parameters)}</span></>}.
                  </>
                )}
              </p>
            )}
          </fieldset>
        )
      })}
      <div className="flex items-end gap-6">
        <TextAction
          onClick={() => setRows([...rows, { measure: 'exact-match', name: '', weight: '1', gate: false, parameters: '' }])}
        >
          Add a measure
        </TextAction>
        <Field label="Margin" className="w-24" value={margin} onChange={(e) => setMargin(e.target.value)} />
      </div>
      {problem && problem.at < 0 && <ErrorLine>{problem.text}</ErrorLine>}
      <div className="flex gap-3">
        <Button kind="main" onClick={() => void save()}>
          Save as a new scorecard
        </Button>
        <Button kind="quiet" onClick={onDone}>
          Leave as it was
        </Button>
      </div>
    </div>
  )
}
