import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { baselinesQuery } from '@/api/baselines'
import { inWords, type Schemas } from '@/api/client'
import { Button, Choice, ErrorLine } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { FilePick } from '../ImportParts'
import { formOf, useUpload } from '../useUpload'
import { AnswersLook } from './AnswersLook'

type Baseline = Schemas['BaselineShape']
type Look = Schemas['AnswersLook']
type Uses = Record<string, { as: string; name: string }>

const USES = [
  ['answer', 'the answer'],
  ['id', 'the id of its case'],
  ['input', 'an input of its case'],
  ['tokens-in', 'tokens in'],
  ['tokens-out', 'tokens out'],
  ['cost', 'what it cost'],
  ['milliseconds', 'milliseconds it took'],
  ['seconds', 'seconds it took'],
  ['leave-out', 'leave out'],
] as const

/** A file of answers: what its columns are, which line finds which case, then taken in. */
export function BringIn({ baseline }: { baseline: Baseline }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const upload = useUpload()
  const [file, setFile] = useState<File | null>(null)
  const [encoding, setEncoding] = useState('')
  const [delimiter, setDelimiter] = useState('')
  const [seen, setSeen] = useState<Look | null>(null)
  const [done, setDone] = useState<Look | null>(null)
  /** uses, by: as they are chosen; found out where nothing was. */
  const look = async (
    chosen: File | null,
    how: { encoding: string; delimiter: string; uses?: Uses; by?: string[] },
  ) => {
    if (!chosen) return
    const data = formOf(chosen, how.encoding, how.delimiter)
    if (how.uses) data.set('mapping', JSON.stringify(how.uses))
    if (how.by) data.set('by', JSON.stringify(how.by))
    const found = await upload.send<Look>(`/api/baselines/${baseline.id}/look/`, data)
    if (found) setSeen(found)
  }
  const begin = (chosen: File | null, enc: string, del: string) => {
    setSeen(null)
    setDone(null)
    void look(chosen, { encoding: enc, delimiter: del })
  }
  const take = async () => {
    if (!file || !seen) return
    const data = formOf(file, encoding, delimiter)
    data.set('mapping', JSON.stringify(usesOf(seen)))
    data.set('by', JSON.stringify(seen.by))
    const found = await upload.send<Look>(`/api/baselines/${baseline.id}/import/`, data)
    if (!found) return
    setDone(found)
    void cache.invalidateQueries({ queryKey: baselinesQuery(brief.id).queryKey })
    void cache.invalidateQueries({ queryKey: ['baseline', baseline.id] })
  }
  const how = { encoding, delimiter }
  return (
    <div className="grid gap-4">
      <FilePick
        encoding={encoding}
        delimiter={delimiter}
        onFile={(chosen) => {
          setFile(chosen)
          begin(chosen, encoding, delimiter)
        }}
        onEncoding={(now) => {
          setEncoding(now)
          begin(file, now, delimiter)
        }}
        onDelimiter={(now) => {
          setDelimiter(now)
          begin(file, encoding, now)
        }}
      />
      {!seen && !file && (
        <p className="text-sm text-soft">
          One line an answer, with the id of its case (as an export of the cases has it) or with its
          inputs. Tokens, price and time may stand beside it.
        </p>
      )}
      {upload.read !== null && (
        <p className="flex items-center gap-4 text-sm" role="status">
          <span className="flex-1">
            Reading{upload.read > 0 && `: ${plural(upload.read, 'line')} so far`}…
          </span>
          <Button kind="harm" onClick={upload.stop}>
            Stop
          </Button>
        </p>
      )}
      {seen && !done && (
        <>
          <Columns
            look={seen}
            onChange={(uses) => void look(file, { ...how, uses, by: seen.by })}
          />
          <FoundBy
            look={seen}
            onChange={(by) => void look(file, { ...how, uses: usesOf(seen), by })}
          />
          {seen.amiss ? <ErrorLine>{seen.amiss}</ErrorLine> : <AnswersLook look={seen} />}
          <Button
            kind="main"
            className="justify-self-start"
            disabled={upload.read !== null}
            lacks={[seen.new + seen.changed === 0 && 'no answer of the file is new']}
            onClick={() => void take()}
          >
            Take {plural(seen.new + seen.changed, 'answer')} in
          </Button>
        </>
      )}
      {done && (
        <>
          <p className="font-serif text-lg">
            {plural(done.new, 'answer')} came in
            {done.changed > 0 && `, ${count(done.changed)} took the place of another`}
            {done.unanswered > 0 && `; ${plural(done.unanswered, 'case')} without one`}.
          </p>
          <AnswersLook look={done} done />
        </>
      )}
      {upload.problem !== null && <ErrorLine>{inWords(upload.problem)}</ErrorLine>}
    </div>
  )
}

function usesOf(look: Look): Uses {
  return Object.fromEntries(look.columns.map((c) => [c.name, { as: c.use, name: c.name }]))
}

function Columns({ look, onChange }: { look: Look; onChange: (uses: Uses) => void }) {
  return (
    <table className="w-full text-sm">
      <thead>
        <tr className="border-b border-rule-strong text-left text-xs text-soft">
          <th className="py-1 font-semibold">Column</th>
          <th className="w-48 font-semibold">Is</th>
          <th className="font-semibold">First lines</th>
        </tr>
      </thead>
      <tbody>
        {look.columns.map((c) => (
          <tr key={c.name} className="border-b border-rule align-top">
            <td className="py-1.5 pr-2 font-semibold break-words">{c.name}</td>
            <td className="py-1.5 pr-2">
              <Choice
                label={`What column ${c.name} is`}
                hideLabel
                value={c.use}
                onChange={(e) =>
                  onChange({ ...usesOf(look), [c.name]: { as: e.target.value, name: c.name } })
                }
              >
                {USES.map(([value, words]) => (
                  <option key={value} value={value}>
                    {words}
                  </option>
                ))}
              </Choice>
            </td>
            <td className="py-1.5 text-xs text-soft">
              <span className="line-clamp-2 break-words">{c.examples.join(' / ')}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

const BY_ID = '#id'

function FoundBy({ look, onChange }: { look: Look; onChange: (by: string[]) => void }) {
  const inputs = look.columns.filter((c) => c.use === 'input').map((c) => c.name)
  const hasId = look.columns.some((c) => c.use === 'id')
  if (!hasId && inputs.length === 0) return null
  const byId = look.by[0] === BY_ID
  return (
    <fieldset className="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm">
      <legend className="sr-only">How a line finds its case</legend>
      <span className="text-soft">A line finds its case by</span>
      {hasId && (
        <label className="flex items-center gap-1.5">
          <input type="radio" checked={byId} onChange={() => onChange([BY_ID])} />
          its id
        </label>
      )}
      {inputs.length > 0 && (
        <label className="flex items-center gap-1.5">
          <input type="radio" checked={!byId} onChange={() => onChange(inputs)} />
          its inputs
        </label>
      )}
      {!byId &&
        inputs.length > 1 &&
        inputs.map((name) => (
          <label key={name} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={look.by.includes(name)}
              onChange={(e) =>
                onChange(
                  inputs.filter((n) => (n === name ? e.target.checked : look.by.includes(n))),
                )
              }
            />
            {name}
          </label>
        ))}
    </fieldset>
  )
}
