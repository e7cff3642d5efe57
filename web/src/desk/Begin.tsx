import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { createBrief } from '@/api/briefs'
import { inWords } from '@/api/client'
import { addSimulated, connectionsQuery, useConnections } from '@/api/connections'
import { consult, preparedQuery, settleConsultation } from '@/api/consultations'
import { deskQuery } from '@/api/desk'
import { composeVersionQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { Area, Button, ErrorLine } from '@/parts/controls'
import { money } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { OwnModels } from './OwnModels'

type Who = 'own' | 'simulated'
const LONGEST_NAME = 48

/** An empty desk: one field, who answers, and three ways to a first text. */
export function Begin() {
  const navigate = useNavigate()
  const cache = useQueryClient()
  const connections = useConnections().data ?? []
  const models = connections.flatMap((c) => c.models)
  const [job, setJob] = useTyped('begin job', '')
  const [chosen, setWho] = useState<Who | null>(null)
  const { write, pending, problem } = useWrite([
    deskQuery().queryKey,
    connectionsQuery().queryKey,
    ['session'],
  ])
  const own = models.filter((m) => !m.simulated)
  const who = chosen ?? (own.length > 0 ? 'own' : models.length > 0 ? 'simulated' : null)
  const usable = who === 'own' ? own : models.filter((m) => m.simulated)
  const writer = usable.at(-1) ?? null
  const text = job.trim()
  const prepared = useQuery({
    ...preparedQuery({
      role: 'draft',
      about: { job: text },
      model: writer?.id ?? null,
      instruction: '',
      again: true,
    }),
    enabled: text !== '' && writer !== null && !writer.simulated,
    placeholderData: (former) => former,
  })
  const cost = prepared.data?.cost_at_most
  const price =
    who === 'simulated'
      ? ', free, simulated'
      : writer && cost !== undefined
        ? cost === null
          ? ', price unknown'
          : `, at most ${money(cost)}`
        : ''
  const missing = [
    text === '' && 'the job is not stated',
    who === null && 'it is not said who answers',
    who === 'own' && own.length === 0 && 'no model of your own is there yet',
  ].filter((m) => m !== false)

  const begun = async () => {
    const made = await createBrief({ name: nameOf(text), job: text, task: 'other' })
    forgetTyped('begin')
    return made.id
  }
  const draft = () =>
    void write(async () => {
      let model = writer?.id ?? null
      if (model === null && who === 'simulated')
        model = (await addSimulated()).models.at(-1)?.id ?? null
      if (model === null) return
      const brief = await begun()
      const about = { brief }
      const ready = await cache.fetchQuery(
        preparedQuery({ role: 'draft', about, model, instruction: '', again: true }),
      )
      const asked = await consult({
        role: 'draft',
        about,
        model,
        instruction: ready?.instruction ?? '',
        again: true,
        ask: true,
      })
      const reply = asked.consultation
      const clauses = reply?.reading?.clauses ?? []
      // A reply that cannot be read is kept, and put right where it is shown.
      if (!reply || clauses.length === 0) {
        void navigate(`/briefs/${brief}/draft?do=draft.compose`)
        return
      }
      const composed = await cache.fetchQuery(composeVersionQuery(brief, { clauses }))
      await saveVersion(brief, {
        messages: composed.messages,
        settings: {},
        parent: null,
        second_parent: null,
        origin: 'drafted',
        note: `first draft, by ${reply.model}${reply.simulated ? ' (simulated)' : ''}`,
        reasons: composed.reasons,
      })
      await settleConsultation(reply.id, { state: 'taken', text: null, places: null })
      void navigate(`/briefs/${brief}/draft`)
    })
  const paste = () => void write(async () => void navigate(`/briefs/${await begun()}/draft`))
  return (
    <section aria-label="Begin" className="mx-auto max-w-2xl py-10">
      <h2 className="text-xl">Begin with one job</h2>
      <form
        className="mt-4 grid gap-5"
        onSubmit={(e) => {
          e.preventDefault()
          if (missing.length === 0) draft()
        }}
      >
        <Area
          label="The job: what goes in, what must come out, for whom"
          rows={3}
          className="[&_textarea]:font-serif [&_textarea]:text-base"
          // eslint-disable-next-line jsx-a11y/no-autofocus -- it is the one field of an empty desk
          autoFocus
          value={job}
          onChange={(e) => setJob(e.target.value)}
        />
        <fieldset className="grid gap-2 text-sm">
          <legend className="mb-1 text-xs text-soft">Who answers</legend>
          <Choice
            on={who === 'own'}
            onChoose={() => setWho('own')}
            name="My own models"
            words="a server you run, or a service you pay for"
          />
          {who === 'own' && own.length === 0 && <OwnModels />}
          <Choice
            on={who === 'simulated'}
            onChoose={() => setWho('simulated')}
            name="Simulated models"
            words="four small programs that follow written rules; free, offline; good for learning the way, they cannot tell how a real model answers"
          />
        </fieldset>
        <div className="flex flex-wrap items-center gap-3">
          <Button kind="main" type="submit" disabled={pending} lacks={missing}>
            {pending ? 'It is written…' : `Write a first draft${price}`}
          </Button>
          <Button
            disabled={pending}
            lacks={[text === '' && 'the job is not stated: it names the brief']}
            onClick={paste}
          >
            Paste a prompt I have
          </Button>
          <Link className="text-sm font-semibold text-action underline" to="/shelf">
            Begin from the shelf
          </Link>
        </div>
        {missing.length > 0 && (text !== '' || who !== null) && (
          <p className="text-sm text-soft">To have a draft written: {missing.join('; ')}.</p>
        )}
        {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      </form>
    </section>
  )
}

type ChoiceProps = { on: boolean; onChoose: () => void; name: string; words: string }

function Choice({ on, onChoose, name, words }: ChoiceProps) {
  return (
    <label className="block pl-6 -indent-6">
      <input type="radio" name="who answers" className="mr-2" checked={on} onChange={onChoose} />
      <strong className="font-semibold">{name}</strong>: {words}
    </label>
  )
}

/** A name from the first words of a job; it can be changed under Brief. */
function nameOf(job: string): string {
  const line = job.split(/[\n.;:!?]/, 1)[0]?.trim() ?? ''
  const words = line.split(/\s+/)
  let name = ''
  for (const word of words) {
    if (name && name.length + word.length + 1 > LONGEST_NAME) break
    name = name ? `${name} ${word}` : word.slice(0, LONGEST_NAME)
  }
  return name || 'A first job'
}
