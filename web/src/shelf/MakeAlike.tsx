import { useState } from 'react'
import { useNavigate } from 'react-router'
import { createBrief } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { deskQuery, useDesk } from '@/api/desk'
import { openAnswer } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { ConsultationPanel } from '@/parts/consult/ConsultationPanel'
import { useConsultation } from '@/parts/consult/useConsultation'
import { Area, Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { useTyped } from '@/parts/typed'

/** A model writes a prompt the way the ticked ones are written; what it is asked can be read and changed. */
export function MakeAlike({ examples }: { examples: Schemas['ShelfRow'][] }) {
  const desk = useDesk()
  const [job, setJob] = useTyped('one alike job', '')
  const { write, problem } = useWrite([deskQuery().queryKey])
  const [brief, setBrief] = useState<number | null>(null)
  const [name, setName] = useTyped('one alike name', '')
  const navigate = useNavigate()
  const about = {
    examples: examples.map((e) => ({ messages: e.messages })),
    job: job.trim() || 'the job named here',
    ...(brief === null ? {} : { brief }),
  }
  const consulting = useConsultation('alike', about, brief, examples.length > 0)
  const save = (id: number, text: string, model: string) =>
    write(async () => {
      const opened = await openAnswer({ text })
      const home =
        brief ??
        (
          await createBrief({
            name: name.trim() || (job.split(/[.\n]/)[0] ?? '').slice(0, 60),
            job,
            task: examples[0]?.task ?? 'other',
          })
        ).id
      const made = await saveVersion(home, {
        messages: opened.messages,
        settings: {},
        parent: null,
        second_parent: null,
        origin: 'drafted',
        note: `written by ${model} like ${examples.map((e) => e.name).join(', ')}`.slice(0, 300),
      })
      await consulting.close(id, 'taken')
      void navigate(`/briefs/${home}/draft?v=${made.number}`)
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
      <ConsultationPanel
        consulting={consulting}
        who="Model that writes it"
        action={consulting.current ? 'Write another' : 'Write it'}
        lacks={[!job.trim() && 'the job is not stated']}
      >
        {(reading, found) => (
          <>
            <pre className="max-h-72 overflow-y-auto border-l-2 border-action bg-sheet px-3 py-2 font-serif text-base break-words whitespace-pre-wrap">
              {reading.text}
            </pre>
            <div>
              <Button
                kind="main"
                onClick={() => void save(found.id, reading.text ?? '', found.model)}
              >
                Make it a prompt…
              </Button>
            </div>
          </>
        )}
      </ConsultationPanel>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}
