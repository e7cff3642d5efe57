import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { noteTrial, useTrials } from '@/api/trials'
import { useWrite } from '@/api/useWrite'
import { Button, Empty, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { clock, costInWords, count, money, plural, score, sum } from '@/parts/numbers'
import { Word } from '@/parts/Word'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { listed } from './listing'
import { TrialsBeside } from './TrialsBeside'

type Row = Schemas['ListedTrial']

const PURPOSES: Record<string, string> = {
  weigh: 'weighing',
  watch: 'watch',
  culprits: 'which change',
  twins: 'twins',
}

/** Every trial of a brief: what it asked, how far it came, what it showed and took. */
export function TrialList() {
  const { brief } = useFrame()
  const trials = useTrials(brief.id)
  const [words, setWords] = useState('')
  const [archived, setArchived] = useState(false)
  const [open, setOpen] = useState<number | null>(null)
  const beside = useBeside()
  if (trials.isPending)
    return (
      <div className="px-6">
        <Waiting what="the trials" />
      </div>
    )
  if (trials.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(trials.error)}</ErrorLine>
      </div>
    )
  const rows = listed(trials.data, words, archived)
  const away = trials.data.filter((t) => t.archived).length
  const plan = `/briefs/${brief.id}/trials/plan`
  return (
    <StageGrid margin={<ListMargin trials={trials.data} />}>
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-xl">{plural(trials.data.length - away, 'trial')}</h1>
        <input
          aria-label="Find a trial"
          placeholder="question, note, arm, person"
          className="h-8 w-60 rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <Link
          to={`/briefs/${brief.id}/trials/twins`}
          className="text-sm text-action underline underline-offset-2"
        >
          Twins of cases…
        </Link>
        <Link
          to={plan}
          className="inline-flex h-8 items-center rounded-sm border border-action bg-action px-3 text-sm font-semibold whitespace-nowrap text-on-action"
        >
          Plan a trial…
        </Link>
      </div>
      {rows.length === 0 && (
        <Empty title={words ? 'No trial is found by these words.' : 'No trial stands here.'}>
          {!words && (
            <Link className="font-semibold text-action underline" to={plan}>
              Plan one
            </Link>
          )}
        </Empty>
      )}
      {beside.two && (
        <TrialsBeside trial={beside.two[0]} other={beside.two[1]} close={beside.clear} />
      )}
      <ol className="mt-3 border-t border-rule-strong">
        {rows.map((t) => (
          <li key={t.id} className="border-b border-rule py-2">
            <TrialRow
              trial={t}
              brief={brief.id}
              editing={open === t.id}
              onEdit={() => setOpen(open === t.id ? null : t.id)}
              beside={beside.chosen.includes(t.id)}
              onBeside={() => beside.toggle(t.id)}
            />
          </li>
        ))}
      </ol>
      {away > 0 && (
        <TextAction light className="mt-2 text-xs" onClick={() => setArchived(!archived)}>
          {archived ? 'without the archived ones' : `${count(away)} archived`}
        </TextAction>
      )}
    </StageGrid>
  )
}

type RowProps = {
  trial: Row
  brief: number
  editing: boolean
  onEdit: () => void
  beside: boolean
  onBeside: () => void
}

/** Which trials are looked at beside each other, at most two; the newest stands first. */
function useBeside() {
  const [search, setSearch] = useSearchParams()
  const chosen = (search.get('beside') ?? '').split(',').map(Number).filter(Boolean)
  const put = (ids: number[]) =>
    setSearch(
      (now) => {
        if (ids.length) now.set('beside', ids.join(','))
        else now.delete('beside')
        return now
      },
      { replace: true },
    )
  const [first, second] = [...chosen].sort((a, b) => b - a)
  return {
    chosen,
    two: first !== undefined && second !== undefined ? ([first, second] as const) : null,
    // A third takes the place of the one that was chosen first.
    toggle: (id: number) =>
      put(chosen.includes(id) ? chosen.filter((x) => x !== id) : [...chosen, id].slice(-2)),
    clear: () => put([]),
  }
}

function TrialRow({ trial: t, brief, editing, onEdit, beside, onBeside }: RowProps) {
  const running = t.state === 'running' || t.state === 'queued'
  const further = t.n_arms - t.arms.length
  return (
    <div className="grid grid-cols-[2.5rem_minmax(0,1fr)_11rem_11.5rem] items-baseline gap-x-3 gap-y-0.5 text-sm max-[900px]:grid-cols-[2.5rem_minmax(0,1fr)]">
      <span className="font-mono text-xs text-soft">{t.number}</span>
      <Link
        to={`/briefs/${brief}/trials/${t.id}`}
        className="min-w-0 font-serif text-base font-semibold break-words hover:underline"
      >
        {t.question || `Trial ${t.number}`}
        {t.purpose !== 'compare' && (
          <span className="ml-2 font-sans text-xs font-normal text-soft">
            {PURPOSES[t.purpose]}
          </span>
        )}
      </Link>
      <span className="text-xs">
        {t.best ? (
          <>
            <span className="font-mono text-sm font-semibold">{score(t.best.mean)}</span>{' '}
            <span className="text-soft">{t.best.name}, highest</span>
          </>
        ) : (
          <span className="text-soft">
            {t.state}, {count(t.done)} of {count(t.n_outputs)}
          </span>
        )}
      </span>
      <span className="text-right font-mono text-xs text-soft">
        {t.spent === null ? '–' : costInWords(t.spent, t.simulated_spent)}
      </span>
      <span />
      <span className="col-span-2 text-xs text-soft max-[900px]:col-span-1">
        {[
          t.arms.join(', ') + (further > 0 ? ` and ${further} more` : ''),
          `${plural(t.n_cases, t.split === 'held-out' ? 'held-out case' : 'case')}${t.choice ? ` (${t.choice})` : ''}${t.repeats > 1 ? ` × ${t.repeats}` : ''}`,
          t.best && t.state !== 'complete' ? t.state : '',
          `${clock(t.created_at)}${t.by ? `, ${t.by}` : ''}`,
          t.archived ? 'archived' : '',
        ]
          .filter(Boolean)
          .join(' · ')}
        {t.note && <span className="block font-serif text-sm text-ink">{t.note}</span>}
      </span>
      <span className="flex justify-end gap-3 text-xs max-[900px]:col-start-2 max-[900px]:justify-start">
        <TextAction
          light
          aria-pressed={beside}
          title="Two trials beside each other, arm by arm"
          className="aria-pressed:font-semibold"
          onClick={onBeside}
        >
          {beside ? 'beside ✓' : 'beside'}
        </TextAction>
        <TextAction light aria-expanded={editing} onClick={onEdit}>
          {running ? 'name, note' : 'name, note, archive'}
        </TextAction>
      </span>
      {editing && (
        <div className="col-span-full pl-11">
          <NoteForm key={t.id} trial={t} brief={brief} onDone={onEdit} />
        </div>
      )}
    </div>
  )
}

function NoteForm({ trial: t, brief, onDone }: { trial: Row; brief: number; onDone: () => void }) {
  const [question, setQuestion] = useState(t.question)
  const [note, setNote] = useState(t.note)
  const { write, pending, problem } = useWrite([['trial', t.id], ...briefKeys(brief)])
  const save = (archived?: boolean) =>
    write(async () => {
      await noteTrial(t.id, { question, note, archived: archived ?? null })
      onDone()
    })
  return (
    <form
      className="grid max-w-2xl gap-2 border-l-2 border-action py-1 pl-3"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <Field
        label="The question it answers"
        maxLength={300}
        value={question}
        onChange={(e) => setQuestion(e.target.value)}
      />
      <Field label="Note" maxLength={4000} value={note} onChange={(e) => setNote(e.target.value)} />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="flex gap-2">
        <Button kind="main" type="submit" disabled={pending}>
          Keep
        </Button>
        <Button onClick={() => void save(!t.archived)} disabled={pending}>
          {t.archived ? 'Bring it back' : 'Archive it'}
        </Button>
        <Button kind="quiet" onClick={onDone}>
          Leave it
        </Button>
      </p>
    </form>
  )
}

function ListMargin({ trials }: { trials: Row[] }) {
  const outputs = trials.reduce((n, t) => n + t.done, 0)
  const simulated = sum(trials.map((t) => t.simulated_spent))
  const spent = sum(trials.map((t) => t.spent ?? 0)) - simulated
  return (
    <div className="grid gap-4">
      <Note tone="inform" title={`${plural(outputs, 'answer')} in all`}>
        {money(spent)} was spent on models of your own
        {simulated > 0 && `; simulated ones came to ${money(simulated)}, which nobody pays`}.
      </Note>
      <Note
        title={
          <>
            Highest is not <Word of="ahead" />
          </>
        }
      >
        The list names the arm with the highest mean. Whether it is shown to be ahead stands in the
        trial’s verdict.
      </Note>
    </div>
  )
}
