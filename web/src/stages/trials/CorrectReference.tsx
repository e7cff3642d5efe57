import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { correctReference, correctionsQuery } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Area, Button, ErrorLine, Field, TextAction } from '@/parts/controls'
import { plural, score, signed } from '@/parts/numbers'
import { RightForms } from '@/parts/RightForms'
import { forgetTyped, useTyped } from '@/parts/typed'
import { Word } from '@/parts/Word'
import { useFrame } from '../frame'

type Output = Schemas['OutputShape']

/** The reference of a case, and the way to put it right while its answers are read: one key. */
export function Reference({ output }: { output: Output }) {
  const [editing, setEditing] = useState(false)
  const [done, setDone] = useState<Schemas['CorrectedShape'] | null>(null)
  const reference = output.case.reference
  useKeys({ 'answer.correct': () => setEditing(true) })
  return (
    <section>
      <div className="mb-1 flex items-baseline gap-3">
        <h2 className="text-base">
          <Word of="reference">Reference</Word>
        </h2>
        {!editing && (
          <span className="text-xs">
            <TextAction light onClick={() => setEditing(true)}>
              {reference === null ? 'Give one' : 'It is wrong: put it right'}
            </TextAction>{' '}
            <KeyCaps of="answer.correct" />
          </span>
        )}
      </div>
      {editing ? (
        <CorrectForm
          output={output}
          onDone={(made) => {
            setEditing(false)
            if (made) setDone(made)
          }}
        />
      ) : (
        <pre className="border-l-2 border-rule-strong px-3 py-1 font-mono text-sm whitespace-pre-wrap break-words text-soft">
          {reference ?? 'none'}
          {output.case.forms.map((f) => `\nor: ${f}`)}
        </pre>
      )}
      {done && <Changed done={done} />}
      <Corrections revision={output.case.revision} fresh={done !== null} />
    </section>
  )
}

function CorrectForm({
  output,
  onDone,
}: {
  output: Output
  onDone: (made: Schemas['CorrectedShape'] | null) => void
}) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const before = output.case.reference
  const place = `reference ${output.case.revision}`
  const [text, setText] = useTyped(`${place} text`, before ?? '')
  const [forms, setForms] = useTyped<string[]>(`${place} forms`, output.case.forms)
  const [reason, setReason] = useTyped(`${place} reason`, '')
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const save = () =>
    write(async () => {
      const made = await correctReference(output.case.revision, {
        before,
        reference: text === '' ? null : text,
        forms,
        reason,
      })
      for (const key of ['output', 'trial', 'cases', 'corrections'])
        void cache.invalidateQueries({ queryKey: [key] })
      forgetTyped(place)
      onDone(made)
    })
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) void save()
    else if (e.key === 'Escape') {
      // Only the form closes, not the answer it stands in.
      e.nativeEvent.stopImmediatePropagation()
      e.stopPropagation()
      onDone(null)
    }
  }
  return (
    <form
      className="grid gap-2 border-l-2 border-action pl-3"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <Area
        label="What is right; empty for no reference"
        // The one field of the form that was just asked for.
        // eslint-disable-next-line jsx-a11y/no-autofocus
        autoFocus
        rows={Math.min(10, Math.max(2, Math.ceil(text.length / 70)))}
        className="[&_textarea]:font-mono"
        value={text}
        onKeyDown={onKey}
        onChange={(e) => setText(e.target.value)}
      />
      <RightForms forms={forms} onChange={setForms} onKeyDown={onKey} />
      <Field
        label="Why, kept with it"
        maxLength={300}
        onKeyDown={onKey}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex flex-wrap items-center gap-2">
        <Button
          kind="main"
          type="submit"
          disabled={busy}
          lacks={[
            text === (before ?? '') &&
              String(forms) === String(output.case.forms) &&
              'what is wanted is as it was',
          ]}
        >
          {busy ? 'Scoring…' : 'Put it right'} <span className="font-normal">Ctrl ↵</span>
        </Button>
        {output.outcome === 'answered' && output.text !== text && (
          <Button onClick={() => setText(output.text)}>Take this answer as the reference</Button>
        )}
        {output.mark?.better && output.mark.better !== text && (
          <Button onClick={() => setText(output.mark?.better ?? '')}>Take the better answer</Button>
        )}
        <Button kind="quiet" onClick={() => onDone(null)}>
          Leave it
        </Button>
      </div>
      <p className="text-xs text-soft">
        Every stored answer to this case is scored by it, in every trial, without a call. What the
        reference and the scores were before is kept.
      </p>
    </form>
  )
}

/** What a correction changed: arms whose mean moved, trial by trial. */
function Changed({ done }: { done: Schemas['CorrectedShape'] }) {
  return (
    <div role="status" className="mt-2 border-l-2 border-action bg-wash-action px-3 py-1.5 text-sm">
      {done.trials.length === 0 && 'Put right. No trial has scored this case.'}
      {done.trials.map((t) => {
        const moved = t.arms.filter(
          (a) => a.before !== null && a.after !== null && a.before !== a.after,
        )
        return (
          <p key={t.trial}>
            Trial {t.trial}: {plural(t.outputs, 'answer')} scored again without a call.{' '}
            {moved.length === 0
              ? 'No arm moved.'
              : `${plural(moved.length, 'arm')} moved, the most by ${signed(moved.map((a) => (a.after ?? 0) - (a.before ?? 0)).sort((a, b) => Math.abs(b) - Math.abs(a))[0] ?? 0)} (${score(moved[0]?.before ?? null)} to ${score(moved[0]?.after ?? null)}).`}
          </p>
        )
      })}
    </div>
  )
}

function Corrections({ revision, fresh }: { revision: number; fresh: boolean }) {
  const found = useQuery(correctionsQuery(revision, fresh))
  if (!found.data?.length) return null
  return (
    <ul className="mt-1 text-xs text-soft">
      {found.data.map((c, i) => (
        <li key={i}>
          Put right by {c.corrected_by} on{' '}
          {new Date(c.corrected_at).toLocaleDateString('en-GB', { dateStyle: 'medium' })}: it said{' '}
          <span className="font-mono break-all">
            {[c.before ?? 'nothing', ...c.forms_before].join(' or ')}
          </span>
          {c.reason && `. ${c.reason}`}
        </li>
      ))}
    </ul>
  )
}
