import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas, upload } from '@/api/client'
import { useRefreshBrief } from '@/api/queries'
import { Area, Button, Choice, ErrorLine } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../BriefFrame'

type Preview = Schemas['TablePreview']
type Imported = Schemas['ImportedShape']
type Mapping = Record<string, { as: string; name?: string }>

const ENCODINGS = ['', 'utf-8', 'utf-16', 'cp1252', 'iso-8859-1', 'mac-roman', 'shift_jis', 'gb18030']
const DELIMITERS = [
  ['', 'found out'], [',', 'comma'], [';', 'semicolon'], ['tab', 'tab'], ['|', 'bar'],
] as const
const USES = [
  ['input', 'input'], ['reference', 'reference'], ['split', 'split'], ['tags', 'tags'],
  ['leave-out', 'leave out'],
] as const

/** Import a file: look at it first, say what each column is, then take it in. */
export function ImportCases({ dataset }: { dataset: Schemas['DatasetShape'] }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [pasted, setPasted] = useState('')
  const [file, setFile] = useState<File | null>(null)
  const [encoding, setEncoding] = useState('')
  const [delimiter, setDelimiter] = useState('')
  const [split, setSplit] = useState('working')
  const [preview, setPreview] = useState<Preview | null>(null)
  const [mapping, setMapping] = useState<Mapping>({})
  const [done, setDone] = useState<Imported | null>(null)
  const [problem, setProblem] = useState<unknown>(null)
  const [busy, setBusy] = useState(false)

  const form = (chosen: File, enc: string, del: string) => {
    const data = new FormData()
    data.set('file', chosen)
    if (enc) data.set('encoding', enc)
    if (del) data.set('delimiter', del)
    return data
  }
  const look = async (chosen: File | null, enc: string, del: string) => {
    setProblem(null)
    setPreview(null)
    setDone(null)
    if (!chosen) return
    try {
      const found = await upload<Preview>(`/api/datasets/${dataset.id}/preview/`, form(chosen, enc, del))
      setPreview(found)
      setMapping(Object.fromEntries(found.columns.map((c) => [c.name, { as: c.use, name: c.name }])))
    } catch (error) {
      setProblem(error)
    }
  }
  const take = async () => {
    if (!file) return
    setBusy(true)
    setProblem(null)
    try {
      const data = form(file, encoding, delimiter)
      data.set('mapping', JSON.stringify(mapping))
      data.set('split', split)
      setDone(await upload<Imported>(`/api/datasets/${dataset.id}/import/`, data))
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
    } catch (error) {
      setProblem(error)
    } finally {
      setBusy(false)
    }
  }
  if (done) {
    return (
      <div className="grid gap-3">
        <p className="font-serif text-lg">
          {plural(done.added, 'case')} imported as version {done.dataset_version}.
        </p>
        <Refusals rows={done.refused} />
      </div>
    )
  }
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-[1fr_9rem_8rem] items-end gap-3">
        <label className="block text-xs text-soft">
          CSV, JSON Lines or XLSX, with a header
          <input
            type="file"
            accept=".csv,.tsv,.txt,.jsonl,.ndjson,.xlsx"
            className="mt-1 block w-full text-sm text-ink file:mr-3 file:h-8 file:rounded-sm file:border file:border-rule-strong file:bg-sheet file:px-3 file:text-ink"
            onChange={(e) => {
              const chosen = e.target.files?.[0] ?? null
              setFile(chosen)
              void look(chosen, encoding, delimiter)
            }}
          />
        </label>
        <Choice
          label="Encoding"
          value={encoding}
          onChange={(e) => {
            setEncoding(e.target.value)
            void look(file, e.target.value, delimiter)
          }}
        >
          {ENCODINGS.map((e) => (
            <option key={e} value={e}>{e || 'found out'}</option>
          ))}
        </Choice>
        <Choice
          label="Delimiter"
          value={delimiter}
          onChange={(e) => {
            setDelimiter(e.target.value)
            void look(file, encoding, e.target.value)
          }}
        >
          {DELIMITERS.map(([value, words]) => (
            <option key={value} value={value}>{words}</option>
          ))}
        </Choice>
      </div>
      {!preview && (
        <Area
          label="Or paste rows with their header, as copied from a spreadsheet"
          rows={4}
          className="[&_textarea]:font-mono [&_textarea]:text-xs"
          value={pasted}
          onChange={(e) => {
            setPasted(e.target.value)
            // More than a header: it can be looked at like a file.
            if (e.target.value.trim().includes('\n')) {
              const made = new File([e.target.value], 'pasted rows.csv', { type: 'text/csv' })
              setFile(made)
              void look(made, '', delimiter)
            }
          }}
        />
      )}
      {preview && (
        <>
          <p className="text-sm text-soft">
            {plural(preview.rows, 'row')} read as {preview.encoding}
            {preview.notes.length > 0 && ` (${preview.notes.join('; ')})`}.
          </p>
          <table className="w-full text-sm">
            <thead>
              <tr className="border-b border-rule-strong text-left text-xs text-soft">
                <th className="py-1 font-semibold">Column</th>
                <th className="w-32 font-semibold">Is</th>
                <th className="w-40 font-semibold">Fills the placeholder</th>
                <th className="font-semibold">First rows</th>
              </tr>
            </thead>
            <tbody>
              {preview.columns.map((c) => {
                const use = mapping[c.name]?.as ?? 'input'
                return (
                  <tr key={c.name} className="border-b border-rule align-top">
                    <td className="py-1.5 pr-2 font-semibold">{c.name}</td>
                    <td className="py-1.5 pr-2">
                      <Choice
                        label={`What column ${c.name} is`}
                        hideLabel
                        value={use}
                        onChange={(e) => setMapping({ ...mapping, [c.name]: { as: e.target.value, name: c.name } })}
                      >
                        {USES.map(([value, words]) => (
                          <option key={value} value={value}>{words}</option>
                        ))}
                      </Choice>
                    </td>
                    <td className="py-1.5 pr-2">
                      {use === 'input' && (
                        <input
                          aria-label={`Placeholder filled by ${c.name}`}
                          className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
                          value={mapping[c.name]?.name ?? c.name}
                          onChange={(e) => setMapping({ ...mapping, [c.name]: { as: 'input', name: e.target.value } })}
                        />
                      )}
                    </td>
                    <td className="py-1.5 text-xs text-soft">
                      <span className="line-clamp-2 break-words">{c.examples.join(' / ')}</span>
                    </td>
                  </tr>
                )
              })}
            </tbody>
          </table>
          <Unfilled preview={preview} mapping={mapping} />
          <Refusals rows={preview.refused} />
          <div className="flex items-end gap-4">
            <Choice label="Rows without a split become" className="w-48" value={split} onChange={(e) => setSplit(e.target.value)}>
              <option value="working">working cases</option>
              <option value="held-out">held-out cases</option>
            </Choice>
            <Button kind="main" disabled={busy || preview.rows === 0} onClick={() => void take()}>
              Import {plural(preview.rows, 'row')}
            </Button>
          </div>
        </>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {problem !== null && file && (
        <p className="text-sm text-soft">Nothing was imported. The file is still chosen: try another encoding or delimiter.</p>
      )}
    </div>
  )
}

function Unfilled({ preview, mapping }: { preview: Preview; mapping: Mapping }) {
  const names = Object.values(mapping).filter((m) => m.as === 'input').map((m) => m.name)
  const wanted = [...preview.unfilled, ...preview.columns.filter((c) => c.fills).map((c) => c.name)]
  const open = wanted.filter((p) => !names.includes(p))
  if (open.length === 0) return null
  return (
    <p className="border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm text-attention-text">
      No column fills {open.join(', ')} of the newest version yet.
    </p>
  )
}

function Refusals({ rows }: { rows: Schemas['RefusedShape'][] }) {
  const [all, setAll] = useState(false)
  if (rows.length === 0) return null
  const shown = all ? rows : rows.slice(0, 5)
  return (
    <section className="border-l-2 border-harm pl-3">
      <h3 className="font-sans text-sm font-semibold text-harm">{plural(rows.length, 'row')} refused, the good ones are kept</h3>
      <ul className="text-sm">
        {shown.map((r) => (
          <li key={r.line}>
            <span className="font-mono text-xs">line {r.line}</span>: {r.reason}
          </li>
        ))}
      </ul>
      {rows.length > shown.length && (
        <Button kind="quiet" onClick={() => setAll(true)}>Show all {rows.length}</Button>
      )}
    </section>
  )
}

