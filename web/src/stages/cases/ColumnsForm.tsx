import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { casesOf, changeColumns } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { Area, Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../frame'
import { asText } from '@/parts/text'

type Dataset = Schemas['DatasetShape']
type Act = Schemas['ColumnsRequest']['act']
type Look = Schemas['ColumnsShape']

const ACTS: [Act, string][] = [
  ['rename', 'rename'],
  ['remove', 'take out'],
  ['split', 'split into several'],
  ['join', 'join into one'],
  ['compute', 'compute a further one'],
]

/** A column of all cases put otherwise; the first cases show what becomes of them before it is done. */
export function ColumnsForm({ dataset, onDone }: { dataset: Dataset; onDone: () => void }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const [act, setAct] = useState<Act>('rename')
  const [chosen, setChosen] = useState<string[]>(dataset.columns.slice(0, 1))
  const [to, setTo] = useState('')
  const [mark, setMark] = useState(' ')
  const [formula, setFormula] = useState('')
  const [follow, setFollow] = useState(true)
  const [seen, setSeen] = useState<Look | null>(null)
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const several = act === 'join' || act === 'remove'
  const body = {
    act,
    columns: several ? chosen : act === 'compute' ? [] : chosen.slice(0, 1),
    formula: act === 'compute' ? formula : '',
    to: act === 'remove' ? [] : act === 'split' ? to.split(',') : [to],
    mark: act === 'split' || act === 'join' ? mark : '',
    version: dataset.version_id,
    changed: dataset.changed,
  }
  const change = (work: () => void) => {
    setSeen(null)
    work()
  }
  const look = () =>
    write(async () =>
      setSeen(await changeColumns(dataset.id, { ...body, store: false, follow: null })),
    )
  const store = () =>
    write(async () => {
      const followed = act === 'rename' && follow ? (seen?.read_by ?? null) : null
      await changeColumns(dataset.id, { ...body, store: true, follow: followed })
      await cache.invalidateQueries({ queryKey: casesOf(dataset.id) })
      onDone()
    })
  const field = problem instanceof Problem ? problem.field : null
  return (
    <form
      className="grid gap-3 border-t border-rule pt-4"
      onSubmit={(e) => {
        e.preventDefault()
        void (seen ? store() : look())
      }}
    >
      <h3 className="text-base">Columns there are</h3>
      <div className="grid grid-cols-2 gap-3">
        <Choice
          label="What is done"
          value={act}
          onChange={(e) => change(() => setAct(e.target.value as Act))}
        >
          {ACTS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Choice>
        {!several && act !== 'compute' && (
          <Choice
            label="Column"
            value={chosen[0] ?? ''}
            onChange={(e) => change(() => setChosen([e.target.value]))}
          >
            {dataset.columns.map((c) => (
              <option key={c}>{c}</option>
            ))}
          </Choice>
        )}
      </div>
      {several && (
        <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
          {dataset.columns.map((c) => (
            <label key={c} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={chosen.includes(c)}
                onChange={(e) =>
                  change(() =>
                    setChosen(e.target.checked ? [...chosen, c] : chosen.filter((x) => x !== c)),
                  )
                }
              />
              {c}
            </label>
          ))}
        </p>
      )}
      {act !== 'remove' && (
        <div className="grid grid-cols-2 gap-3">
          <Field
            label={act === 'split' ? 'New names, parted by commas' : 'New name'}
            value={to}
            error={field === 'to' ? inWords(problem) : null}
            onChange={(e) => change(() => setTo(e.target.value))}
          />
          {(act === 'split' || act === 'join') && (
            <Field
              label={act === 'split' ? 'Parted at' : 'What stands between'}
              value={mark}
              error={field === 'mark' ? inWords(problem) : null}
              onChange={(e) => change(() => setMark(e.target.value))}
            />
          )}
        </div>
      )}
      {act === 'compute' && (
        <Area
          label="Expression over inputs.name, reference and reference_json.name"
          rows={2}
          className="[&_textarea]:font-mono"
          placeholder="if(words(inputs.message) > 40, 'long', 'short')"
          value={formula}
          error={field === 'formula' ? inWords(problem) : null}
          onChange={(e) => change(() => setFormula(e.target.value))}
        />
      )}
      {problem !== null && field !== 'to' && field !== 'mark' && field !== 'formula' && (
        <ErrorLine>{inWords(problem)}</ErrorLine>
      )}
      {seen && <Becomes seen={seen} act={act} follow={follow} onFollow={setFollow} />}
      <div>
        <Button
          kind="main"
          type="submit"
          disabled={pending}
          lacks={[act !== 'compute' && chosen.length === 0 && 'no column is chosen']}
        >
          {seen
            ? `Do it to ${plural(dataset.working + dataset.held_out, 'case')}`
            : 'See what becomes of them'}
        </Button>
      </div>
    </form>
  )
}

type BecomesProps = {
  seen: Look
  act: Act
  follow: boolean
  onFollow: (follow: boolean) => void
}

function Becomes({ seen, act, follow, onFollow }: BecomesProps) {
  const told = (inputs: Record<string, unknown>) =>
    Object.entries(inputs)
      .map(([name, value]) => `${name}: ${asText(value)}`)
      .join('\n')
  return (
    <section className="text-sm">
      {seen.samples.map((s) => (
        <div
          key={s.number}
          className="grid grid-cols-[2rem_minmax(0,1fr)_minmax(0,1fr)] gap-x-3 border-b border-rule py-1"
        >
          <span className="font-mono text-xs text-soft">{s.number}</span>
          <span className="line-clamp-4 break-words whitespace-pre-wrap text-soft">
            {told(s.before)}
          </span>
          <span className="line-clamp-4 break-words whitespace-pre-wrap">{told(s.after)}</span>
        </div>
      ))}
      {seen.n_without > 0 && (
        <p className="mt-2 text-attention-text">
          {plural(seen.n_without, 'case')} would be left empty there:{' '}
          {seen.without.map((w) => `case ${w.number}, ${w.why}`).join('; ')}
          {seen.n_without > seen.without.length && ', and others'}.
        </p>
      )}
      {seen.read_by !== null &&
        (act === 'rename' ? (
          <label className="mt-2 flex items-center gap-2">
            <input type="checkbox" checked={follow} onChange={(e) => onFollow(e.target.checked)} />v
            {seen.read_by} reads it: save a further version whose placeholders follow
          </label>
        ) : (
          <p className="mt-2 text-attention-text">
            v{seen.read_by} reads what goes: its placeholder will have nothing to fill it.
          </p>
        ))}
    </section>
  )
}
