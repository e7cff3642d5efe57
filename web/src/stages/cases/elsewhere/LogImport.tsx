import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { baselinesQuery } from '@/api/baselines'
import { useRefreshBrief } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { casesOf } from '@/api/datasets'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { FilePick } from '../ImportParts'
import { formOf, useUpload } from '../useUpload'
import { LeftOut } from './LeftOut'

type Look = Schemas['LogLook']
type Done = Schemas['LogDone']
type How = { way: string; message: string; past: string; system: boolean }

const WAYS = [
  ['last', 'the last thing the user said, what came before it as history'],
  ['each', 'each thing the user said, what came before it as history'],
  ['whole', 'the whole conversation, its user turns asked one after the other'],
] as const

/** A log of conversations: what of it is a case is chosen on the first three, its answers become an arm. */
export function LogImport({ dataset }: { dataset: Schemas['DatasetShape'] }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const refresh = useRefreshBrief(brief.id)
  const upload = useUpload()
  const [file, setFile] = useState<File | null>(null)
  const [encoding, setEncoding] = useState('')
  const [delimiter, setDelimiter] = useState('')
  const [how, setHow] = useState<How>({ way: 'last', message: '', past: 'messages', system: false })
  const [answers, setAnswers] = useState(true)
  const [name, setName] = useState('As it is today')
  const [seen, setSeen] = useState<Look | null>(null)
  const [done, setDone] = useState<Done | null>(null)
  const form = (chosen: File, enc: string, del: string, now: How) => {
    const data = formOf(chosen, enc, del)
    data.set('way', now.way)
    data.set('message', now.message)
    data.set('past', now.past)
    data.set('system', String(now.system))
    return data
  }
  const look = async (chosen: File | null, enc: string, del: string, now: How) => {
    if (!chosen) return
    const found = await upload.send<Look>(
      `/api/datasets/${dataset.id}/log/look/`,
      form(chosen, enc, del, now),
    )
    if (found) setSeen(found)
  }
  const choose = (now: How) => {
    setHow(now)
    void look(file, encoding, delimiter, now)
  }
  const take = async () => {
    if (!file) return
    const data = form(file, encoding, delimiter, how)
    if (answers && seen && seen.n_answers > 0) data.set('baseline', name)
    const found = await upload.send<Done>(`/api/datasets/${dataset.id}/log/import/`, data)
    if (!found) return
    setDone(found)
    refresh()
    void cache.invalidateQueries({ queryKey: casesOf(dataset.id) })
    void cache.invalidateQueries({ queryKey: baselinesQuery(brief.id).queryKey })
  }
  return (
    <div className="grid gap-4">
      <FilePick
        accept=".jsonl,.ndjson,.json,.csv,.tsv,.txt"
        told="JSON Lines, JSON, OTLP JSON, or CSV with a line a turn"
        encoding={encoding}
        delimiter={delimiter}
        onFile={(chosen) => {
          setFile(chosen)
          setSeen(null)
          setDone(null)
          void look(chosen, encoding, delimiter, how)
        }}
        onEncoding={(now) => {
          setEncoding(now)
          void look(file, now, delimiter, how)
        }}
        onDelimiter={(now) => {
          setDelimiter(now)
          void look(file, encoding, now, how)
        }}
      />
      {upload.read !== null && (
        <p className="flex items-center gap-4 text-sm" role="status">
          <span className="flex-1">
            Reading{upload.read > 0 && `: ${plural(upload.read, 'conversation')} so far`}…
          </span>
          <Button kind="harm" onClick={upload.stop}>
            Stop
          </Button>
        </p>
      )}
      {seen && !done && (
        <>
          <HowTaken look={seen} how={how} onChange={choose} />
          <Samples look={seen} system={how.system} />
          <LeftOut rows={seen.refused} total={seen.n_refused} />
          {seen.n_answers > 0 && (
            <div className="flex flex-wrap items-end gap-4">
              <label className="flex items-center gap-2 pb-1.5 text-sm">
                <input
                  type="checkbox"
                  checked={answers}
                  onChange={(e) => setAnswers(e.target.checked)}
                />
                its {plural(seen.n_answers, 'answer')} as an arm called
              </label>
              <Field
                label="Name of the answers"
                className="w-60"
                value={name}
                disabled={!answers}
                onChange={(e) => setName(e.target.value)}
              />
            </div>
          )}
          <Button
            kind="main"
            className="justify-self-start"
            disabled={upload.read !== null}
            lacks={[seen.n_cases === 0 && 'the log holds no case']}
            onClick={() => void take()}
          >
            Take {plural(seen.n_cases, 'case')} in
          </Button>
        </>
      )}
      {done && (
        <>
          <p className="font-serif text-lg">
            {plural(done.added, 'case')} came in as version {done.dataset_version}
            {done.baseline !== null && `, ${plural(done.n_answers, 'answer')} with them`}.{' '}
            {done.baseline !== null && (
              <Link
                className="text-action underline"
                to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&answers=${done.baseline}`}
              >
                Look at the answers
              </Link>
            )}
          </p>
          <LeftOut rows={done.refused} total={done.n_refused} />
        </>
      )}
      {upload.problem !== null && <ErrorLine>{inWords(upload.problem)}</ErrorLine>}
    </div>
  )
}

type HowProps = { look: Look; how: How; onChange: (how: How) => void }

function HowTaken({ look, how, onChange }: HowProps) {
  const [message, setMessage] = useState(look.message)
  return (
    <div className="grid gap-3">
      <p className="text-sm text-soft">
        {plural(look.n_talks, 'conversation')} read as {look.encoding}
        {look.notes.length > 0 && ` (${look.notes.join('; ')})`}: {plural(look.n_cases, 'case')},{' '}
        {count(look.n_answers)} with an answer.
      </p>
      <Choice
        label="A case is"
        className="w-full max-w-xl"
        value={how.way}
        onChange={(e) => onChange({ ...how, message, way: e.target.value })}
      >
        {WAYS.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </Choice>
      <div className="flex flex-wrap items-end gap-4">
        {how.way !== 'whole' && (
          <Field
            label="What the user said fills"
            className="w-48"
            value={message}
            onChange={(e) => setMessage(e.target.value)}
            onBlur={() => message !== look.message && onChange({ ...how, message })}
          />
        )}
        {how.way !== 'whole' && (
          <Choice
            label="What came before comes in"
            className="w-72"
            value={how.past}
            onChange={(e) => onChange({ ...how, message, past: e.target.value })}
          >
            <option value="messages">as messages: a message {'{{history}}'} becomes them</option>
            <option value="text">as one text, to stand within a message</option>
          </Choice>
        )}
        {look.n_system > 0 && (
          <label className="flex items-center gap-2 pb-1.5 text-sm">
            <input
              type="checkbox"
              checked={how.system}
              onChange={(e) => onChange({ ...how, message, system: e.target.checked })}
            />
            what the system was told becomes an input, too
          </label>
        )}
      </div>
    </div>
  )
}

function Samples({ look, system }: { look: Look; system: boolean }) {
  if (look.samples.length === 0) return null
  return (
    <section>
      <h3 className="border-b border-rule-strong pb-0.5 text-sm">The first cases would be</h3>
      {look.samples.map((s, i) => (
        <dl
          key={i}
          className="grid grid-cols-[6.5rem_minmax(0,1fr)] gap-x-3 gap-y-0.5 border-b border-rule py-2 text-sm [&_dd]:line-clamp-4 [&_dd]:break-words [&_dd]:whitespace-pre-wrap [&_dt]:text-xs [&_dt]:text-soft"
        >
          {s.source && <Part name="source" text={s.source} />}
          {system && s.system && <Part name="system" text={s.system} />}
          {s.history && <Part name="history" text={s.history} />}
          {s.message && <Part name={look.message} text={s.message} />}
          {s.turns.length > 0 && <Part name="turns" text={s.turns.join('\n')} />}
          <Part name="answer" text={s.answer ?? 'none in the log'} />
        </dl>
      ))}
    </section>
  )
}

function Part({ name, text }: { name: string; text: string }) {
  return (
    <>
      <dt>{name}</dt>
      <dd>{text}</dd>
    </>
  )
}
