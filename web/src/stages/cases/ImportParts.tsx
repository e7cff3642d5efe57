import type { ChangeEvent } from 'react'
import type { Schemas } from '@/api/client'
import { Button, Choice } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { KIND_WORDS, KINDS } from './grid/model'
import { packed } from './packed'

export type Preview = Schemas['TablePreview']
export type Mapping = Record<string, { as: string; name?: string; kind?: string }>

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
  ['forms', 'a further right form of it'],
  ['conversation', 'conversation'],
  ['split', 'split'],
  ['tags', 'tags'],
  ['source', 'what it comes from (source)'],
  ['id', 'the id of the case'],
  ['leave-out', 'leave out'],
] as const

type PickProps = {
  encoding: string
  delimiter: string
  /** Of a workbook: one of them is read, in place of a delimiter. */
  sheets?: string[] | undefined
  onFile: (file: File | null) => void
  onEncoding: (encoding: string) => void
  onDelimiter: (delimiter: string) => void
  /** Which files, and how that is said; tables of cases without it. */
  accept?: string
  told?: string
}

/** Documents in place of a table: one case each. */
export function DocumentPick({ onFile }: { onFile: (file: File | null) => void }) {
  const pick = (e: ChangeEvent<HTMLInputElement>) => onFile(packed([...(e.target.files ?? [])]))
  const look =
    'cursor-pointer font-semibold text-action underline underline-offset-2 focus-within:outline focus-within:outline-2'
  return (
    <p className="flex flex-wrap gap-x-4 text-sm text-soft">
      Documents, one case each:
      <label className={look}>
        choose files…
        <input
          type="file"
          multiple
          aria-label="Documents"
          accept=".txt,.md,.markdown,.pdf,.csv,.tsv,.xlsx,.html,.json,.xml,.rst,.log"
          className="sr-only"
          onChange={pick}
        />
      </label>
      <label className={look}>
        a folder…
        <input
          type="file"
          aria-label="A folder of documents"
          className="sr-only"
          // A folder and all below it; every browser of today knows the attribute.
          {...{ webkitdirectory: '' }}
          onChange={pick}
        />
      </label>
    </p>
  )
}

/** The file, and how it is to be read where that is not found out rightly. */
export function FilePick(props: PickProps) {
  const { encoding, delimiter, onFile, onEncoding, onDelimiter } = props
  return (
    <div className="grid grid-cols-[1fr_9rem_8rem] items-end gap-3">
      <label className="block text-xs text-soft">
        {props.told ?? 'CSV, JSON, JSON Lines or XLSX, with a header'}
        <input
          type="file"
          accept={props.accept ?? '.csv,.tsv,.txt,.jsonl,.ndjson,.json,.xlsx'}
          className="mt-1 block w-full text-sm text-ink file:mr-3 file:h-8 file:rounded-sm file:border file:border-rule-strong file:bg-sheet file:px-3 file:text-ink"
          onChange={(e) => onFile(e.target.files?.[0] ?? null)}
        />
      </label>
      <Choice label="Encoding" value={encoding} onChange={(e) => onEncoding(e.target.value)}>
        {[...ENCODINGS, ...(ENCODINGS.includes(encoding) ? [] : [encoding])].map((e) => (
          <option key={e} value={e}>
            {e || 'found out'}
          </option>
        ))}
      </Choice>
      {props.sheets && props.sheets.length > 1 ? (
        <Choice label="Sheet" value={delimiter} onChange={(e) => onDelimiter(e.target.value)}>
          {props.sheets.map((name, i) => (
            <option key={name} value={i === 0 ? '' : name}>
              {name}
            </option>
          ))}
        </Choice>
      ) : (
        <Choice label="Delimiter" value={delimiter} onChange={(e) => onDelimiter(e.target.value)}>
          {DELIMITERS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Choice>
      )}
    </div>
  )
}

type UsesProps = { preview: Preview; mapping: Mapping; onChange: (m: Mapping) => void }

/** What each column is, and which placeholder it fills. */
export function ColumnUses({ preview, mapping, onChange }: UsesProps) {
  return (
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
                    onChange({
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
                      onChange({
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
                      onChange({
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
  )
}

type TakeProps = {
  /** Rows read so far while the import runs. */
  read: number | null
  preview: Preview
  onStop: () => void
  onTake: () => void
}

/** The import itself, with how far it has come. */
export function TakeButton({ read, preview, onStop, onTake }: TakeProps) {
  return read !== null ? (
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
      <Button kind="harm" onClick={onStop}>
        Stop, keep nothing
      </Button>
    </>
  ) : (
    <Button
      kind="main"
      lacks={[preview.rows === 0 && 'no row can be read as a case']}
      onClick={onTake}
    >
      Import {plural(preview.rows, 'row')}
    </Button>
  )
}

export function Unfilled({ preview, mapping }: { preview: Preview; mapping: Mapping }) {
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
