import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { useConnections } from '@/api/connections'
import { keepPreset, presetsQuery, removePreset } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'

export type Settings = Record<string, unknown>

const FIELDS = [
  ['temperature', 'Temperature', '0 to 2'],
  ['top_p', 'Top-p', 'above 0 to 1'],
  ['top_k', 'Top-k', 'from 1'],
  ['max_tokens', 'Output limit, tokens', 'from 1'],
  ['seed', 'Seed', 'from 0'],
] as const
const MORE = [
  ['presence_penalty', 'Presence penalty', '-2 to 2'],
  ['frequency_penalty', 'Frequency penalty', '-2 to 2'],
] as const
const LONG_NAMES: Record<string, string> = Object.fromEntries(
  [...FIELDS, ...MORE].map(([k, label]) => [k, label.toLowerCase()]),
)

type Props = {
  settings: Settings
  task: string
  errors: Record<string, string>
  onChange: (s: Settings) => void
  /** What an empty field stands for, where it is not simply left out. */
  empty?: string
  /** The models that will be asked; without it, all there are. */
  models?: number[]
}

/** The sampling parameters of a version, or of a trial's arms. */
export function SettingsRow({ settings, task, errors, onChange, empty, models }: Props) {
  const used = [
    'presence_penalty',
    'frequency_penalty',
    'reasoning_effort',
    'response_schema',
  ].some((k) => settings[k] !== undefined)
  const [more, setMore] = useState(used)
  const set = (name: string, value: unknown) => {
    const next = { ...settings }
    if (value === '' || value === undefined) delete next[name]
    else next[name] = value
    onChange(next)
  }
  const setNumber = (name: string, text: string) =>
    set(name, text.trim() === '' ? '' : Number.isNaN(Number(text)) ? text : Number(text))
  const stops = Array.isArray(settings.stop) ? (settings.stop as string[]).join(' | ') : ''
  const number = ([name, label, range]: readonly [string, string, string]) => (
    <Field
      key={name}
      label={label}
      inputMode="decimal"
      placeholder={empty ?? range}
      value={asText(settings[name])}
      error={errors[name] ?? null}
      onChange={(e) => setNumber(name, e.target.value)}
    />
  )
  return (
    <div>
      <Presets settings={settings} task={task} onTake={onChange} />
      <div className="grid grid-cols-[repeat(5,minmax(0,7.5rem))_minmax(0,1fr)] gap-3">
        {FIELDS.map(number)}
        <Field
          label="Stop at (by |)"
          value={stops}
          error={errors.stop ?? null}
          onChange={(e) => {
            const list = e.target.value
              .split('|')
              .map((s) => s.trim())
              .filter(Boolean)
            set('stop', list.length ? list : '')
          }}
        />
      </div>
      {more || used ? (
        <div className="mt-3 grid grid-cols-[repeat(2,minmax(0,7.5rem))_minmax(0,9rem)_minmax(0,1fr)] gap-3">
          {MORE.map(number)}
          <div>
            <label className="mb-1 block text-xs text-soft" htmlFor="effort">
              Reasoning effort
            </label>
            <select
              id="effort"
              className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
              value={asText(settings.reasoning_effort)}
              onChange={(e) => set('reasoning_effort', e.target.value)}
            >
              <option value="">as the server has it</option>
              {['low', 'medium', 'high'].map((v) => (
                <option key={v}>{v}</option>
              ))}
            </select>
          </div>
          <SchemaField
            value={settings.response_schema}
            error={errors.response_schema ?? null}
            onChange={(v) => set('response_schema', v)}
          />
        </div>
      ) : (
        <TextAction className="mt-2 text-xs" onClick={() => setMore(true)}>
          Penalties, effort, answer schema…
        </TextAction>
      )}
      <Ignored settings={settings} only={models} />
    </div>
  )
}

/** A JSON Schema as text; what is no JSON yet is kept as typed and said. */
function SchemaField({
  value,
  error,
  onChange,
}: {
  value: unknown
  error: string | null
  onChange: (v: unknown) => void
}) {
  const [text, setText] = useState(() => (value === undefined ? '' : JSON.stringify(value)))
  const [amiss, setAmiss] = useState<string | null>(null)
  return (
    <Field
      label="Answer schema (JSON Schema)"
      placeholder='{"type": "object", …}'
      className="[&_input]:font-mono [&_input]:text-xs"
      value={text}
      error={amiss ?? error}
      onChange={(e) => {
        setText(e.target.value)
        if (e.target.value.trim() === '') {
          setAmiss(null)
          onChange('')
          return
        }
        try {
          onChange(JSON.parse(e.target.value))
          setAmiss(null)
        } catch (problem) {
          setAmiss(`not JSON yet: ${(problem as Error).message}; the former schema is still sent`)
        }
      }}
    />
  )
}

const shownSettings = (s: Record<string, unknown>) =>
  Object.entries(s)
    .map(([k, v]) => `${LONG_NAMES[k] ?? k.replaceAll('_', ' ')} ${asText(v)}`)
    .join(', ')

/** Settings by kind of task, each with its reason; one's own beside those that ship. */
function Presets({
  settings,
  task,
  onTake,
}: {
  settings: Settings
  task: string
  onTake: (s: Settings) => void
}) {
  const presets = useQuery(presetsQuery())
  const [keeping, setKeeping] = useState(false)
  const [name, setName] = useState('')
  const { write, problem } = useWrite([['presets']])
  const all = presets.data ?? []
  const same = (p: Schemas['PresetShape']) =>
    Object.keys(p.settings).length > 0 &&
    Object.entries(p.settings).every(([k, v]) => JSON.stringify(settings[k]) === JSON.stringify(v))
  const current = all.find((p) => same(p) && p.task === task) ?? all.find(same)
  const fitting = all.find((p) => p.task === task && p.id === null)
  const act = (work: () => Promise<unknown>) =>
    write(async () => {
      await work()
      setKeeping(false)
      setName('')
    })
  return (
    <div className="mb-3 text-sm">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <label className="flex items-center gap-2">
          <span className="text-xs text-soft">Preset</span>
          <select
            aria-label="Preset of settings"
            className="h-7 rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
            value={current?.name ?? ''}
            onChange={(e) => {
              const chosen = all.find((p) => p.name === e.target.value)
              // The length limit and stops belong to the text and stay.
              if (chosen)
                onTake({
                  ...Object.fromEntries(
                    Object.entries(settings).filter(
                      ([k]) => !['temperature', 'top_p', 'top_k'].includes(k),
                    ),
                  ),
                  ...chosen.settings,
                })
            }}
          >
            <option value="">own values</option>
            {all.map((p) => (
              <option key={p.name}>{p.name}</option>
            ))}
          </select>
        </label>
        <span className="min-w-0 flex-1 text-xs text-soft">
          {current
            ? `${shownSettings(current.settings)}: ${current.reason || 'your own'}`
            : fitting
              ? `To ${task}, “${fitting.name}” is usual: ${shownSettings(fitting.settings)}`
              : ''}
        </span>
        {keeping ? (
          <form
            className="flex items-center gap-1"
            onSubmit={(e) => {
              e.preventDefault()
              void act(() => keepPreset({ name, task, settings, reason: '' }))
            }}
          >
            <input
              // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
              autoFocus
              aria-label="Name of the preset"
              placeholder="name"
              className="h-7 w-36 rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <Button small type="submit">
              Keep
            </Button>
          </form>
        ) : current && current.id !== null ? (
          <button
            type="button"
            className="text-xs text-soft underline underline-offset-2 hover:text-harm"
            onClick={() => void act(() => removePreset(current.id ?? 0))}
          >
            Remove this preset
          </button>
        ) : (
          <TextAction className="text-xs" onClick={() => setKeeping(true)}>
            Keep these as a preset…
          </TextAction>
        )}
      </div>
      {problem !== null && (
        <div className="mt-1">
          <ErrorLine>{inWords(problem)}</ErrorLine>
        </div>
      )}
    </div>
  )
}

/** Which models do not take a setting that is set here. */
function Ignored({ settings, only }: { settings: Settings; only?: number[] | undefined }) {
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const rows = models
    .filter((m) => only === undefined || only.includes(m.id))
    .map((m) => ({
      name: m.name,
      left: Object.keys(settings).filter((k) => [...m.unsupported, ...m.never_sent].includes(k)),
    }))
    .filter((m) => m.left.length)
  if (rows.length === 0) return null
  return (
    <p className="mt-2 border-l-2 border-attention pl-2 text-xs text-attention-text">
      {rows
        .map(
          (m) =>
            `${m.name} takes no ${m.left.map((k) => LONG_NAMES[k] ?? k.replaceAll('_', ' ')).join(', no ')}`,
        )
        .join('; ')}
      : not sent there.
    </p>
  )
}
