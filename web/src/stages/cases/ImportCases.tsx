import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import { inWords, lines, Problem, type Schemas, upload } from '@/api/client'
import { Area, Button, Choice, ErrorLine } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../BriefFrame'
import { KIND_WORDS, KINDS } from './grid/model'

type Preview = Schemas['TablePreview']
type Imported = {
  dataset_version: number
  added: number
  n_refused: number
  refused: Schemas['RefusedShape'][]
}
type Line = {
  read?: number
  n_refused?: number
  done?: Imported
  refused?: { title?: string; detail: string; field?: string | null }
}
type Mapping = Record<string, { as: string; name?: string; kind?: string }>

const ENCODINGS = [
  '',
  'utf-8',
  'utf-16',
  'cp1252',
  'iso-8859-1',
  'mac-roman',
  'shift_jis',
  'gb18030',
]
const DELIMITERS = [
  ['', 'found out'],
  [',', 'comma'],
  [';', 'semicolon'],
  ['tab', 'tab'],
  ['|', 'bar'],
] as const
const USES = [
  ['input', 'input'],
  ['reference', 'reference'],
  ['conversation', 'conversation'],
  ['split', 'split'],
  ['tags', 'tags'],
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
  // Rows read so far while an import runs, null otherwise.
  const [read, setRead] = useState<number | null>(null)
  const aborting = useRef<AbortController | null>(null)
  const busy = read !== null
  useEffect(() => () => aborting.current?.abort(), [])

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
      const found = await upload<Preview>(
        `/api/datasets/${dataset.id}/preview/`,
        form(chosen, enc, del),
      )
      setPreview(found)
      setMapping(
        Object.fromEntries(
          found.columns.map((c) => [c.name, { as: c.use, name: c.name, kind: c.kind }]),
        ),
      )
    } catch (error) {
      setProblem(error)
    }
  }
  const take = async () => {
    if (!file) return
    setRead(0)
    setProblem(null)
    const own = new AbortController()
    aborting.current = own
    try {
      const data = form(file, encoding, delimiter)
      data.set('mapping', JSON.stringify(mapping))
      data.set('split', split)
      let ended = false
      await lines<Line>(
        `/api/datasets/${dataset.id}/import/`,
        data,
        (line) => {
          if (line.read !== undefined) setRead(line.read)
          if (line.refused)
            throw new Problem(
              422,
              line.refused.title ?? 'error',
              line.refused.detail,
              line.refused.field ?? null,
            )
          if (line.done) {
            ended = true
            setDone(line.done)
          }
        },
        own.signal,
      )
      if (!ended)
        throw new Problem(
          0,
          'broken_off',
          'the connection broke off before the import ended: look at the cases, then import again',
          null,
        )
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
    } catch (error) {
      setProblem(own.signal.aborted ? new Problem(0, 'stopped', 'stopped', null) : error)
    } finally {
      setRead(null)
    }
  }
  if (done) {
    return (
      <div className="grid gap-3">
        <p className="font-serif text-lg">
          {plural(done.added, 'case')} imported as version {done.dataset_version}.
        </p>
        <Refusals rows={done.refused} total={done.n_refused} />
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
            <option key={e} value={e}>
              {e || 'found out'}
            </option>
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
            <option key={value} value={value}>
              {words}
            </option>
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
                <th className="w-32 font-semibold">Fills the placeholder</th>
                <th className="w-28 font-semibold">Holds</th>
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
                        onChange={(e) =>
                          setMapping({
                            ...mapping,
                            [c.name]: { ...mapping[c.name], as: e.target.value, name: c.name },
                          })
                        }
                      >
                        {USES.map(([value, words]) => (
                          <option key={value} value={value}>
                            {words}
                          </option>
                        ))}
                      </Choice>
                    </td>
                    <td className="py-1.5 pr-2">
                      {use === 'input' && (
                        <input
                          aria-label={`Placeholder filled by ${c.name}`}
                          className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
                          value={mapping[c.name]?.name ?? c.name}
                          onChange={(e) =>
                            setMapping({
                              ...mapping,
                              [c.name]: { ...mapping[c.name], as: 'input', name: e.target.value },
                            })
                          }
                        />
                      )}
                    </td>
                    <td className="py-1.5 pr-2">
                      {use === 'input' && (
                        <Choice
                          label={`What kind of values ${c.name} holds`}
                          hideLabel
                          value={mapping[c.name]?.kind ?? c.kind}
                          onChange={(e) =>
                            setMapping({
                              ...mapping,
                              [c.name]: { ...mapping[c.name], as: 'input', kind: e.target.value },
                            })
                          }
                        >
                          {KINDS.map((k) => (
                            <option key={k} value={k}>
                              {KIND_WORDS[k]}
                            </option>
                          ))}
                        </Choice>
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
          <Refusals rows={preview.refused} total={preview.n_refused} />
          <div className="flex items-end gap-4">
            <Choice
              label="Rows without a split become"
              className="w-48"
              value={split}
              onChange={(e) => setSplit(e.target.value)}
            >
              <option value="working">working cases</option>
              <option value="held-out">held-out cases</option>
            </Choice>
            {busy ? (
              <>
                <span className="flex h-8 flex-1 items-center gap-3" role="status">
                  <span className="h-1.5 flex-1 bg-rule">
                    <span
                      className="block h-full bg-ink"
                      style={{
                        width: `${Math.min(100, (read / Math.max(1, preview.rows + preview.n_refused)) * 100)}%`,
                      }}
                    />
                  </span>
                  <span className="font-mono text-xs">
                    {count(read)} of {count(preview.rows + preview.n_refused)} rows
                  </span>
                </span>
                <Button kind="harm" onClick={() => aborting.current?.abort()}>
                  Stop, keep nothing
                </Button>
              </>
            ) : (
              <Button kind="main" disabled={preview.rows === 0} onClick={() => void take()}>
                Import {plural(preview.rows, 'row')}
              </Button>
            )}
          </div>
        </>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {problem !== null && file && (
        <p className="text-sm text-soft">
          Nothing was imported. The file is still chosen: change what stands above, then import
          again.
        </p>
      )}
    </div>
  )
}

function Unfilled({ preview, mapping }: { preview: Preview; mapping: Mapping }) {
  const names = Object.values(mapping)
    .filter((m) => m.as === 'input')
    .map((m) => m.name)
  const wanted = [...preview.unfilled, ...preview.columns.filter((c) => c.fills).map((c) => c.name)]
  const open = wanted.filter((p) => !names.includes(p))
  if (open.length === 0) return null
  return (
    <p className="border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm text-attention-text">
      No column fills {open.join(', ')} of the newest version yet.
    </p>
  )
}

function Refusals({ rows, total }: { rows: Schemas['RefusedShape'][]; total: number }) {
  const [all, setAll] = useState(false)
  if (rows.length === 0) return null
  const shown = all ? rows : rows.slice(0, 5)
  return (
    <section className="border-l-2 border-harm pl-3">
      <h3 className="font-sans text-sm font-semibold text-harm">
        {plural(total, 'row')} refused, the good ones are kept
      </h3>
      <ul className="text-sm">
        {shown.map((r) => (
          <li key={r.line}>
            <span className="font-mono text-xs">line {r.line}</span>: {r.reason}
          </li>
        ))}
      </ul>
      {rows.length > shown.length && (
        <Button kind="quiet" onClick={() => setAll(true)}>
          Show {rows.length === total ? `all ${total}` : `the first ${rows.length}`}
        </Button>
      )}
    </section>
  )
}
