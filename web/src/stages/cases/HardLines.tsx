import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { hardLines } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { ErrorLine, TextAction } from '@/parts/controls'
import { count } from '@/parts/numbers'
import { formOf, type Chosen } from './useUpload'

type Props = {
  dataset: number
  file: Chosen
  encoding: string
  delimiter: string
  /** What it was read as, where it could be read. */
  readAs: string
  onEncoding: (encoding: string) => void
  onDelimiter: (delimiter: string) => void
}

const MARKS: Record<string, string> = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' }

/** The lines of a file that tell its encoding and delimiter, as each would read them; one press takes one. */
export function HardLines(props: Props) {
  const { dataset, file, encoding, delimiter } = props
  const [found, setFound] = useState<Schemas['HardLinesShape'] | null>(null)
  const { write, pending, problem } = useWrite()
  const look = () =>
    void write(async () => setFound(await hardLines(dataset, formOf(file, encoding, delimiter))))
  if (!found)
    return (
      <p className="text-sm">
        <TextAction disabled={pending} onClick={look}>
          Do letters or columns look wrong? See its hard lines
        </TextAction>
        {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      </p>
    )
  return (
    <section className="grid gap-3 border-l-2 border-rule-strong pl-3 text-sm">
      <Encodings {...props} rows={found.encodings} />
      <Delimiters {...props} rows={found.delimiters} />
    </section>
  )
}

function Encodings({ rows, readAs, onEncoding }: Props & { rows: Schemas['EncodingReadShape'][] }) {
  if (rows.length === 0)
    return <p className="text-soft">Every character is plain ASCII: any encoding reads it alike.</p>
  return (
    <table className="w-full">
      <caption className="text-left text-xs text-soft">
        Its hardest lines, as each encoding reads them
      </caption>
      <tbody>
        {rows.map((r) => (
          <tr
            key={r.encoding}
            className={`border-b border-rule align-top ${r.fits ? '' : 'text-soft'}`}
          >
            <th scope="row" className="w-28 py-1 pr-2 text-left font-mono text-xs font-normal">
              {r.encoding}
            </th>
            <td className="py-1 pr-2 font-serif">
              {r.fits
                ? r.lines.map((line, i) => (
                    <span key={i} dir="auto" className="block break-words">
                      {line}
                    </span>
                  ))
                : 'does not fit: some bytes are none of its characters'}
            </td>
            <td className="w-20 py-1 text-right">
              {r.encoding === readAs ? (
                <span className="text-soft">in use</span>
              ) : (
                r.fits && <TextAction onClick={() => onEncoding(r.encoding)}>read so</TextAction>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Delimiters({ rows, onDelimiter }: Props & { rows: Schemas['DelimiterReadShape'][] }) {
  return (
    <table className="w-full">
      <caption className="text-left text-xs text-soft">Its first rows, parted at each sign</caption>
      <tbody>
        {rows.map((r) => (
          <tr
            key={r.mark}
            className={`border-b border-rule align-top ${r.columns < 2 ? 'text-soft' : ''}`}
          >
            <th scope="row" className="w-28 py-1 pr-2 text-left font-normal">
              {MARKS[r.mark] ?? r.mark}
            </th>
            <td className="py-1 pr-2">
              {r.columns < 2
                ? 'one column'
                : `${count(r.columns)} columns: ${r.header.join(' · ')}`}
              {r.rows > 0 && r.columns > 1 && (
                <span className="block text-xs text-soft">
                  {count(r.fitting)} of {count(r.rows)} rows have as many
                  {r.odd_line > 0 && `; line ${r.odd_line} has ${r.odd.join(' · ')}`}
                </span>
              )}
            </td>
            <td className="w-20 py-1 text-right">
              {r.columns > 1 && (
                <TextAction onClick={() => onDelimiter(r.mark === '\t' ? 'tab' : r.mark)}>
                  part so
                </TextAction>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
