import { useState } from 'react'
import { useVersion } from '@/api/versions'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Button, TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'
import type { Brief } from '../../BriefFrame'
import { CasePicker } from '../CasePicker'
import type { useCaseAt } from '../useCaseAt'
import { type Settings, toRows, type WorkingCopy } from '../workingCopy'
import { Alternatives } from './Alternatives'
import { AnswerActions } from './AnswerActions'
import { AnswerView } from './AnswerView'
import { ModelPicks, useModels } from './ModelPicks'
import { SettingsVariants, type Variant, variantInWords } from './SettingsVariants'
import { TypedCase } from './TypedCase'
import { type Job, useTries } from './useTries'

const MOST_COLUMNS = 6
const MOST_ALTERNATIVES = 10

type Props = {
  brief: Brief
  copy: WorkingCopy
  besideNumber: number | null
  cases: ReturnType<typeof useCaseAt>
  placeholders: string[]
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
  goTo: (view: 'Clauses') => void
}
type Column = {
  id: string
  model: number
  label: string
  settings: Settings
  messages: Job['messages']
  saved: boolean
}

/** The text under work on one case, on several models and settings side by side, for real. */
export function TryView({ brief, copy, besideNumber, cases, placeholders, change, goTo }: Props) {
  const parent = useVersion(brief.id, besideNumber).data
  const models = useModels()
  const [wanted, setWanted] = useState<number[] | null>(null)
  const [variants, setVariants] = useState<Variant[]>([])
  const [besides, setBesides] = useState(false)
  const [many, setMany] = useState(1)
  const [typed, setTyped] = useState<Record<string, string> | null>(null)
  const [asked, setAsked] = useState<Record<string, string[]>>({})
  const { answers, run, running, stop } = useTries(brief.id)

  const chosen = wanted ?? models.slice(0, 2).map((m) => m.id)
  const settings: Settings[] = [{}, ...variants.map((v) => v.settings)]
  const all: Column[] = chosen.flatMap((model) =>
    settings.flatMap((over, k) => {
      const name = models.find((m) => m.id === model)?.name ?? ''
      const label = variants.length
        ? `${name}, ${k === 0 ? 'as set below' : variantInWords(over)}`
        : name
      const own = {
        id: `${model}|${JSON.stringify(over)}`,
        model,
        label,
        settings: { ...copy.settings, ...over },
        messages: toRows(copy),
        saved: false,
      }
      return besides && parent
        ? [
            own,
            {
              ...own,
              id: `${own.id}|v${parent.number}`,
              label: `${label}, v${parent.number} as saved`,
              settings: { ...parent.settings, ...over },
              messages: parent.messages,
              saved: true,
            },
          ]
        : [own]
    }),
  )
  const columns = all.slice(0, besides ? MOST_COLUMNS * 2 : MOST_COLUMNS)
  const inputs: Record<string, unknown> = typed ?? cases.chosen?.inputs ?? {}
  const reference = typed ? null : (cases.chosen?.reference ?? null)
  const go = () => {
    const jobs: Job[] = columns.flatMap((c) => {
      // Another answer to the same question: the seed sent is another one, the former answers stay.
      const before = asked[c.id]?.length ?? 0
      return Array.from({ length: many }, (_, i) => ({
        key: `${c.id}#${before + i}`,
        model: c.model,
        messages: c.messages,
        settings: c.settings,
        inputs,
        reference,
        repeat: before + i,
      }))
    })
    setAsked((now) => {
      const next = { ...now }
      for (const c of columns) {
        const keys = jobs.filter((j) => j.key.startsWith(`${c.id}#`)).map((j) => j.key)
        next[c.id] = [...keys.reverse(), ...(next[c.id] ?? [])]
      }
      return next
    })
    void run(jobs)
  }
  useKeys({ 'draft.try': go })
  const shown = columns.filter((c) => asked[c.id]?.length)
  return (
    <div>
      <div className="mb-3 flex items-center gap-3 text-sm">
        {typed === null ? <CasePicker cases={cases} /> : <span>A typed case</span>}
        <TextAction
          onClick={() =>
            setTyped(
              typed === null
                ? Object.fromEntries(placeholders.map((p) => [p, asText(cases.chosen?.inputs[p])]))
                : null,
            )
          }
        >
          {typed === null ? 'Type one…' : 'Back to the cases'}
        </TextAction>
        <span className="ml-auto flex items-center gap-2">
          <label className="flex items-center gap-1 text-soft">
            <select
              aria-label="Answers each"
              className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
              value={many}
              onChange={(e) => setMany(Number(e.target.value))}
            >
              {Array.from({ length: MOST_ALTERNATIVES }, (_, i) => (
                <option key={i}>{i + 1}</option>
              ))}
            </select>
            {many === 1 ? 'answer each' : 'answers each'}
          </label>
          <KeyCaps of="draft.try" />
          {running && (
            <Button kind="harm" onClick={stop}>
              Stop
            </Button>
          )}
          <Button kind="main" disabled={columns.length === 0} onClick={go}>
            {shown.length ? 'Again' : 'Try it'}
          </Button>
        </span>
      </div>
      {typed !== null ? (
        <TypedCase names={placeholders} values={typed} onChange={setTyped} />
      ) : (
        cases.chosen && (
          <p
            dir="auto"
            className="mb-3 line-clamp-3 border-l-2 border-rule-strong pl-3 font-serif text-base text-soft"
          >
            {Object.values(cases.chosen.inputs)
              .filter((v) => v !== null && v !== '')
              .map(String)
              .join(' · ')}
          </p>
        )
      )}
      <div className="mb-4 grid gap-2">
        <ModelPicks chosen={chosen} most={MOST_COLUMNS} onChange={setWanted} />
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
          <SettingsVariants variants={variants} onChange={setVariants} />
          {parent && (
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={besides}
                onChange={(e) => setBesides(e.target.checked)}
              />
              also v{parent.number} as saved
            </label>
          )}
        </div>
        {all.length > columns.length && (
          <p className="text-xs text-attention-text">
            {all.length} combinations; the first {columns.length} are tried.
          </p>
        )}
      </div>
      {shown.length === 0 && models.length > 0 && (
        <p className="text-sm text-soft">
          The text as it stands, saved or not, goes out as real calls; nothing of it is stored but
          what they cost.
        </p>
      )}
      <div
        className="grid gap-x-6 gap-y-4"
        style={{
          gridTemplateColumns: `repeat(${Math.min(besides ? 2 : 3, Math.max(1, shown.length))}, minmax(0, 1fr))`,
        }}
      >
        {shown.map((c) => {
          const found = (asked[c.id] ?? []).flatMap((k) => answers[k] ?? [])
          return (
            <section key={c.id} className="min-w-0" aria-label={c.label}>
              <h3 className="border-b border-rule-strong pb-1 font-serif text-base font-semibold">
                {c.label}
              </h3>
              {found.length > 1 && <Alternatives answers={[...found].reverse()} />}
              {found.map((a) => (
                <AnswerView key={a.key} answer={a}>
                  {!c.saved && a.result?.outcome === 'answered' && (
                    <AnswerActions
                      brief={brief}
                      copy={copy}
                      answer={a}
                      modelName={c.label}
                      change={change}
                      onExample={() => goTo('Clauses')}
                    />
                  )}
                </AnswerView>
              ))}
            </section>
          )
        })}
      </div>
    </div>
  )
}
