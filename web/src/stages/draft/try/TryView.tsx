import { useState } from 'react'
import { useVersion } from '@/api/versions'
import { useKeys } from '@/keys/useKeys'
import { TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'
import { useTyped } from '@/parts/typed'
import { columnsOf } from './columns'
import { AskBar, Columns } from './TryParts'
import type { Brief } from '../../frame'
import { CasePicker } from '../CasePicker'
import type { useCaseAt } from '../useCaseAt'
import type { WorkingCopy } from '../workingCopy'
import { AnswerActions } from './AnswerActions'
import { ModelPicks, useModels } from './ModelPicks'
import { SettingsVariants, type Variant } from './SettingsVariants'
import { TypedCase } from './TypedCase'
import { type Job, useTries } from './useTries'

const MOST_COLUMNS = 6

type Props = {
  brief: Brief
  copy: WorkingCopy
  besideNumber: number | null
  cases: ReturnType<typeof useCaseAt>
  placeholders: string[]
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
  goTo: (view: 'Clauses') => void
}
/** The text under work on one case, on several models and settings side by side, for real. */
export function TryView({ brief, copy, besideNumber, cases, placeholders, change, goTo }: Props) {
  const parent = useVersion(brief.id, besideNumber).data
  const models = useModels()
  const [wanted, setWanted] = useTyped<number[] | null>(`try ${brief.id} models`, null)
  const [variants, setVariants] = useTyped<Variant[]>(`try ${brief.id} settings`, [])
  const [besides, setBesides] = useState(false)
  const [many, setMany] = useTyped(`try ${brief.id} many`, 1)
  const [typed, setTyped] = useTyped<Record<string, string> | null>(`try ${brief.id} typed`, null)
  const [asked, setAsked] = useState<Record<string, string[]>>({})
  const { answers, run, running, stop } = useTries(brief.id)

  const chosen = wanted ?? models.slice(0, 2).map((m) => m.id)
  const all = columnsOf(copy, chosen, models, variants, besides ? parent : undefined)
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
        <AskBar
          many={many}
          setMany={setMany}
          running={running}
          stop={stop}
          ready={columns.length > 0}
          again={shown.length > 0}
          go={go}
        />
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
      <Columns
        columns={shown}
        wide={besides ? 2 : 3}
        answersOf={(c) => (asked[c.id] ?? []).flatMap((k) => answers[k] ?? [])}
        actions={(c, a) => (
          <AnswerActions
            brief={brief}
            copy={copy}
            answer={a}
            modelName={c.label}
            change={change}
            onExample={() => goTo('Clauses')}
          />
        )}
      />
    </div>
  )
}
