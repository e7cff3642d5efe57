import { useEffect, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { Area, Button, Choice, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import {
  ColumnUses,
  DocumentPick,
  FilePick,
  TakeButton,
  Unfilled,
  type Preview,
} from './ImportParts'
import { MendRows } from './MendRows'
import { HowRowsComeIn, UpdateButton, UpdateLook } from './UpdateLook'
import { HardLines } from './HardLines'
import { MachineFiles } from './MachineFiles'
import { useImport, type Tie } from './useImport'

/** Import a file: look at it first, say what each column is, then take it in. */
export function ImportCases({
  dataset,
  toLog,
  again = null,
}: {
  dataset: Schemas['DatasetShape']
  toLog: () => void
  /** What it is tied to, where that is to be read again. */
  again?: Tie | null
}) {
  const place = `pasted rows ${dataset.id}`
  const [pasted, setPasted] = useTyped(place, '')
  const [split, setSplit] = useState<'working' | 'held-out'>(again?.split ?? 'working')
  const importing = useImport(dataset, split)
  const { file, encoding, delimiter, preview, done, read, problem } = importing
  const { setFile, setEncoding, setDelimiter, look, stop } = importing
  useAgain(importing, again)
  const columns = (preview?.columns ?? []).map((c) => c.name)
  if (done) return <Brought importing={importing} columns={columns} />
  return (
    <div className="grid gap-4">
      <FilePick
        encoding={encoding}
        delimiter={delimiter}
        sheets={preview?.sheets}
        onFile={(chosen) => {
          // A sheet belongs to the workbook it was chosen of.
          const mark = preview?.sheets.length ? '' : delimiter
          setDelimiter(mark)
          setFile(chosen)
          void look(chosen, encoding, mark)
        }}
        onEncoding={(now) => {
          setEncoding(now)
          void look(file, now, delimiter)
        }}
        onDelimiter={(now) => {
          setDelimiter(now)
          void look(file, encoding, now)
        }}
      />
      {!preview && read !== null && (
        <p className="flex items-center gap-4 text-sm" role="status">
          <span className="flex-1">Reading{read > 0 && `: ${plural(read, 'row')} so far`}…</span>
          <Button kind="harm" onClick={stop}>
            Stop
          </Button>
        </p>
      )}
      {(file === null || !(file instanceof File)) && read === null && (
        <MachineFiles
          chosen={file?.path ?? ''}
          onFile={(made) => {
            setFile(made)
            void look(made, encoding, delimiter)
          }}
        />
      )}
      {!preview && read === null && (
        <Pasting
          text={pasted}
          toLog={toLog}
          onFile={(made, mark) => {
            setFile(made)
            void look(made, '', mark ?? delimiter)
          }}
          onText={setPasted}
        />
      )}
      {file && read === null && preview?.encoding !== '' && (
        <HardLines
          key={file instanceof File ? `${file.name} ${file.lastModified}` : file.path}
          dataset={dataset.id}
          file={file}
          encoding={encoding}
          delimiter={delimiter}
          readAs={preview?.encoding ?? encoding}
          onEncoding={(now) => {
            setEncoding(now)
            void look(file, now, delimiter)
          }}
          onDelimiter={(now) => {
            setDelimiter(now)
            void look(file, encoding, now)
          }}
        />
      )}
      {preview && (
        <Looked
          {...{ importing, preview, columns, split, setSplit }}
          onTaken={() => forgetTyped(place)}
        />
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

/** A file that the dataset is tied to is read as soon as the sheet is open, as it was before. */
function useAgain(importing: ReturnType<typeof useImport>, again: Tie | null) {
  useEffect(() => {
    if (!again) return
    const chosen = { path: again.path, name: again.path.split('/').at(-1) ?? again.path }
    importing.setFile(chosen)
    importing.setEncoding(again.encoding)
    importing.setDelimiter(again.delimiter)
    void importing.look(chosen, again.encoding, again.delimiter, again)
    // Once, when the sheet opens.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [])
}

/** Whether the notes tell the encoding already: it was not plain to see. */
const likeliest = (preview: Preview) => preview.notes.some((n) => n.startsWith('read as'))

type PastingProps = {
  text: string
  onText: (text: string) => void
  toLog: () => void
  /** A file made of what was chosen or pasted; delimiter: as it is above, unless told. */
  onFile: (file: File | null, delimiter?: string) => void
}

/** Rows without a file, and the way to what is no table of cases. */
function Pasting({ text, onText, toLog, onFile }: PastingProps) {
  return (
    <>
      <DocumentPick onFile={(made) => onFile(made, '')} />
      <p className="text-sm text-soft">
        Conversations, calls or a chat log?{' '}
        <TextAction onClick={toLog}>Bring in a log instead</TextAction>
      </p>
      <Area
        label="Or paste rows with their header, as copied from a spreadsheet"
        rows={4}
        className="[&_textarea]:font-mono [&_textarea]:text-xs"
        value={text}
        onChange={(e) => {
          onText(e.target.value)
          // More than a header: it can be looked at like a file.
          if (e.target.value.trim().includes('\n'))
            onFile(new File([e.target.value], 'pasted rows.csv', { type: 'text/csv' }))
        }}
      />
    </>
  )
}

type Importing = ReturnType<typeof useImport>

/** What came of it, with the lines that are still out. */
function Brought({ importing, columns }: { importing: Importing; columns: string[] }) {
  const { done, by, problem } = importing
  if (!done) return null
  return (
    <div className="grid gap-3">
      <p className="font-serif text-lg">
        {by.length > 0 && `${plural(done.changed, 'case')} changed, `}
        {plural(done.added, 'case')} imported as version {done.dataset_version}
        {done.removed > 0 && `, ${done.removed} taken out`}.
      </p>
      <MendRows
        rows={done.refused}
        total={done.n_refused}
        columns={columns}
        mended={importing.mended}
        onMend={importing.setMended}
        onTake={() => void importing.take(true)}
      />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}

type LookedProps = {
  importing: Importing
  preview: Preview
  columns: string[]
  split: 'working' | 'held-out'
  setSplit: (split: 'working' | 'held-out') => void
  onTaken: () => void
}

/** What the file holds, what each column is, how its rows come in, and the press that takes them. */
function Looked({ importing, preview, columns, split, setSplit, onTaken }: LookedProps) {
  const { file, mapping, by, gone, update, read } = importing
  const removes = gone === 'remove'
  return (
    <>
      <p className="text-sm text-soft">
        {plural(preview.rows, preview.encoding ? 'row' : 'document')} read
        {preview.encoding && !likeliest(preview) && ` as ${preview.encoding}`}
        {preview.notes.length > 0 && ` (${preview.notes.join('; ')})`}.
      </p>
      <ColumnUses preview={preview} mapping={mapping} onChange={importing.setMapping} />
      <Unfilled preview={preview} mapping={mapping} />
      <HowRowsComeIn
        preview={preview}
        mapping={mapping}
        by={by}
        setBy={importing.setBy}
        gone={gone}
        setGone={importing.setGone}
      />
      {update ? (
        <UpdateLook
          update={update}
          removes={removes}
          columns={columns}
          mended={importing.mended}
          onMend={importing.setMended}
        />
      ) : (
        <MendRows
          rows={preview.refused}
          total={preview.n_refused}
          columns={columns}
          mended={importing.mended}
          onMend={importing.setMended}
        />
      )}
      {file && !(file instanceof File) && (
        <label className="flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            checked={importing.tie}
            onChange={(e) => importing.setTie(e.target.checked)}
          />
          Tie the dataset to {file.path}: it is then read again by one press
        </label>
      )}
      <div className="flex items-end gap-4">
        <Choice
          label="Rows without a split become"
          className="w-48"
          value={split}
          onChange={(e) => setSplit(e.target.value as typeof split)}
        >
          <option value="working">working cases</option>
          <option value="held-out">held-out cases</option>
        </Choice>
        {by.length > 0 && read === null ? (
          <UpdateButton
            update={importing.stale ? null : update}
            onLook={() => void importing.compare()}
            onTake={() => void importing.take().then(onTaken)}
          />
        ) : (
          <TakeButton
            read={read}
            preview={preview}
            onStop={importing.stop}
            onTake={() => void importing.take().then(onTaken)}
          />
        )}
      </div>
    </>
  )
}
