import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { useRefreshBrief } from '@/api/queries'
import { Area, Button, ErrorLine, Field } from '@/parts/controls'
import { useFrame } from '../BriefFrame'
import { asText } from './asText'

type Dataset = Schemas['DatasetShape']
type Case = Schemas['CaseShape']

/** One case whole; it can be changed, or moved to the other side. */
export function CaseView({ case_, dataset, onMoved }: { case_: Case; dataset: Dataset; onMoved: () => void }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [problem, setProblem] = useState<unknown>(null)
  const [editing, setEditing] = useState(false)
  const other = case_.split === 'working' ? 'held-out' : 'working'
  const move = async () => {
    try {
      await dataOf(
        api.POST('/api/datasets/{dataset_id}/move/', {
          params: { path: { dataset_id: dataset.id } },
          body: { revisions: [case_.revision], split: other },
        }),
      )
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
      onMoved()
    } catch (error) {
      setProblem(error)
    }
  }
  if (editing) return <EditCase case_={case_} dataset={dataset} onDone={(made) => (made ? onMoved() : setEditing(false))} />
  return (
    <div className="grid gap-5">
      {Object.entries(case_.inputs).map(([name, value]) => (
        <section key={name}>
          <p className="text-xs text-soft">{name}</p>
          <p className="font-serif text-lg whitespace-pre-wrap break-words">{asText(value) || '(empty)'}</p>
        </section>
      ))}
      <section>
        <p className="text-xs text-soft">reference</p>
        <pre className="font-mono text-sm whitespace-pre-wrap break-words">{case_.reference ?? 'none'}</pre>
      </section>
      <p className="text-sm text-soft">
        {case_.split === 'held-out' ? 'Held out' : 'Working'}
        {case_.tags.length > 0 && `, tags ${case_.tags.join(', ')}`}
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex gap-2">
        <Button onClick={() => setEditing(true)}>Change it…</Button>
        <Button onClick={() => void move()}>{other === 'held-out' ? 'Hold this case out' : 'Make it a working case'}</Button>
      </div>
    </div>
  )
}

/** A case's words, reference and tags; trials keep what they ran on. */
function EditCase({ case_, dataset, onDone }: { case_: Case; dataset: Dataset; onDone: (made: Case | null) => void }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const names = [...new Set([...dataset.columns, ...Object.keys(case_.inputs)])]
  const [values, setValues] = useState<Record<string, string>>(Object.fromEntries(names.map((n) => [n, asText(case_.inputs[n])])))
  const [reference, setReference] = useState(case_.reference ?? '')
  const [tags, setTags] = useState(case_.tags.join(', '))
  const [problem, setProblem] = useState<unknown>(null)
  const save = async () => {
    setProblem(null)
    // A value that was no text stays what it was, unless it is typed over.
    const inputs = Object.fromEntries(names.map((n) => [n, asText(case_.inputs[n]) === values[n] ? (case_.inputs[n] ?? values[n]) : values[n]]))
    try {
      const made = await dataOf(
        api.POST('/api/datasets/{dataset_id}/edit/', {
          params: { path: { dataset_id: dataset.id } },
          body: { revision: case_.revision, inputs, reference: reference === '' ? null : reference, tags: tags.split(',') },
        }),
      )
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
      void cache.invalidateQueries({ queryKey: ['case-at'] })
      onDone(made)
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <form className="grid gap-3" onSubmit={(e) => {
      e.preventDefault()
      void save()
    }}>
      {names.map((n) => (
        <Area key={n} label={n} rows={Math.min(10, Math.max(2, Math.ceil((values[n] ?? '').length / 70)))} className="[&_textarea]:font-serif [&_textarea]:text-base" value={values[n] ?? ''} onChange={(e) => setValues({ ...values, [n]: e.target.value })} />
      ))}
      <Area label="Reference; empty for none" rows={3} className="[&_textarea]:font-mono" value={reference} onChange={(e) => setReference(e.target.value)} />
      <Field label="Tags, parted by commas" value={tags} onChange={(e) => setTags(e.target.value)} />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="text-sm text-soft">It becomes a new version of the dataset. Trials that ran keep the case as it was.</p>
      <div className="flex gap-2">
        <Button kind="main" type="submit">Save the case</Button>
        <Button kind="quiet" onClick={() => onDone(null)}>Leave it as it was</Button>
      </div>
    </form>
  )
}
