import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, dataOf, inWords } from '@/api/client'
import { keys, useDesk } from '@/api/queries'
import { Area, Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { AnswerView } from '@/stages/draft/try/AnswerView'
import { useModels } from '@/stages/draft/try/ModelPicks'
import { useTries } from '@/stages/draft/try/useTries'
import { asText } from '@/parts/text'
import type { OnShelf } from './ShelfPage'

/** A model writes a prompt the way the ticked ones are written; what it is asked can be read and changed. */
export function MakeAlike({ examples }: { examples: OnShelf[] }) {
  const desk = useDesk()
  const models = useModels()
  const [job, setJob] = useState('')
  const [model, setModel] = useState<number | null>(null)
  const [instruction, setInstruction] = useState<string | null>(null)
  const [reading, setReading] = useState(false)
  const [asked, setAsked] = useState(0)
  const [problem, setProblem] = useState<unknown>(null)
  const [brief, setBrief] = useState<number | null>(null)
  const [name, setName] = useState('')
  const navigate = useNavigate()
  const cache = useQueryClient()
  const refreshDesk = () => void cache.invalidateQueries({ queryKey: keys.desk })
  const { answers, run, running, stop } = useTries(brief ?? 0)
  const body = {
    examples: examples.map((e) => ({ messages: e.messages })),
    job: job.trim() || 'the job named here',
  }
  const request = useQuery({
    queryKey: ['alike', body],
    queryFn: () => dataOf(api.POST('/api/shelf/alike/', { body })),
    placeholderData: (former) => former,
  })
  const messages = (request.data?.messages ?? []).map((m) =>
    m.role === 'system' && instruction !== null ? { ...m, content: instruction } : m,
  )
  const chosen = model ?? models.at(-1)?.id ?? null
  const answer = answers[`alike${asked}`]
  const act = async (work: () => Promise<void>) => {
    setProblem(null)
    try {
      await work()
    } catch (error) {
      setProblem(error)
    }
  }
  const go = () =>
    act(async () => {
      if (chosen === null || !request.data) return
      // The brief is opened first: what the call costs is written into its ledger.
      const home =
        brief ??
        (
          await dataOf(
            api.POST('/api/briefs/', {
              body: {
                name: name.trim() || (job.split(/[.\n]/)[0] ?? '').slice(0, 60),
                job,
                task: examples[0]?.task ?? 'other',
              },
            }),
          )
        ).id
      setBrief(home)
      if (brief === null) refreshDesk()
      setAsked(asked + 1)
      await run(
        [
          {
            key: `alike${asked + 1}`,
            model: chosen,
            messages,
            settings: {},
            inputs: request.data.inputs,
            reference: null,
            repeat: asked,
          },
        ],
        home,
      )
    })
  const open = (text: string) =>
    act(async () => {
      const opened = await dataOf(api.POST('/api/open-answer/', { body: { text } }))
      const made = await dataOf(
        api.POST('/api/briefs/{brief_id}/versions/', {
          params: { path: { brief_id: brief ?? 0 } },
          body: {
            messages: opened.messages,
            settings: {},
            parent: null,
            second_parent: null,
            origin: 'drafted',
            note: `written by ${models.find((m) => m.id === chosen)?.name ?? 'a model'} like ${examples.map((e) => e.name).join(', ')}`.slice(
              0,
              300,
            ),
          },
        }),
      )
      void navigate(`/briefs/${brief}/draft?v=${made.number}`)
    })
  if (examples.length === 0)
    return <p className="text-sm text-soft">Tick a text on the shelf first.</p>
  return (
    <div className="grid gap-3">
      <p className="text-sm text-soft">
        Written the way of {examples.map((e) => `“${e.name}”`).join(', ')}.
      </p>
      <Area
        label="The job of the new prompt: what goes in, what must come out, for whom"
        rows={3}
        value={job}
        onChange={(e) => setJob(e.target.value)}
      />
      <div className="grid grid-cols-2 gap-3">
        <Choice
          label="For"
          value={brief ?? ''}
          disabled={asked > 0}
          onChange={(e) => setBrief(e.target.value ? Number(e.target.value) : null)}
        >
          <option value="">a new brief</option>
          {(desk.data?.briefs ?? []).map((b) => (
            <option key={b.id} value={b.id}>
              {b.name}, as a further version
            </option>
          ))}
        </Choice>
        {brief === null && (
          <Field
            label="Name of the brief"
            maxLength={120}
            placeholder="from the job's first words"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </div>
      <div className="flex items-end gap-3 text-sm">
        <Choice
          label="Model that writes it"
          value={chosen ?? ''}
          onChange={(e) => setModel(Number(e.target.value))}
        >
          {models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
              {m.simulated ? ' (simulated)' : ''}
            </option>
          ))}
        </Choice>
        <Button
          kind="main"
          disabled={!job.trim() || chosen === null || running}
          onClick={() => void go()}
        >
          {asked ? 'Write another' : 'Write it'}
        </Button>
        {running && (
          <Button kind="harm" onClick={stop}>
            Stop
          </Button>
        )}
        <TextAction className="ml-auto pb-1.5" onClick={() => setReading(!reading)}>
          {reading ? 'Hide what is asked' : 'Read or change what is asked…'}
        </TextAction>
      </div>
      {reading && request.data && (
        <div className="grid gap-2">
          <Area
            label="Instruction"
            rows={7}
            value={instruction ?? request.data.messages[0]?.content ?? ''}
            onChange={(e) => setInstruction(e.target.value)}
          />
          <p className="text-xs text-soft">
            Then the ticked texts, each in a block of its own, and the job:
          </p>
          <pre className="max-h-56 overflow-y-auto border-l-2 border-rule-strong bg-sheet px-3 py-2 font-mono text-xs break-words whitespace-pre-wrap">
            {asText(request.data.inputs['examples'])}
            {'\n\n'}Job: {job}
          </pre>
        </div>
      )}
      {answer && (
        <AnswerView answer={answer}>
          <div className="mt-2">
            <Button onClick={() => void open(answer.text)}>Open as a version</Button>
          </div>
        </AnswerView>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}
