import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState, type ReactNode } from 'react'
import { briefQuery } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { inheritMark, markOutput, takeBackMark, type Wanted } from '@/api/reviews'
import { outputQuery, useOutput } from '@/api/trials'
import { Note } from '@/parts/Margin'
import { isTyping } from '@/parts/TopBar'
import { utf16Offsets } from '@/parts/codepoints'
import { Button, Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'
import { Reference } from '../trials/CorrectReference'
import { Inputs, OutputView, Scores } from '../trials/OutputView'
import { Turns } from '../trials/Turns'
import { AnswerToMark } from './AnswerToMark'
import { EMPTY, isEmpty, stops, type MarkDraft } from './draft'
import { FormerNote, type Since } from './FormerNote'
import { MakePrecedent } from './precedents/MakePrecedent'
import { MeasuresNote } from './MeasuresNote'
import { ReadersNote } from './ReadersNote'
import { MarkPanel, MARKS } from './MarkPanel'
import { passOver, type Judgement, type Taken } from './passing'

type Place = { start: number; end: number }
type Props = {
  reading: Schemas['ReadingShape']
  wanted: Wanted
  onWanted: (w: Wanted) => void
  nav: ReactNode
}

const ORDERS: [string, string][] = [
  ['random', 'by chance'],
  ['spread', 'by chance, arms and tags in turn'],
  ['changed', 'changed since they were marked'],
  ['low', 'lowest scores first'],
  ['unsure', 'scores in the middle first'],
  ['arms-apart', 'where arms differ most'],
  ['measures-apart', 'where measures disagree'],
  ['people-apart', 'where scores and marks part'],
]

/** One answer at a time, the arm hidden, marked by keyboard; what is typed stays with its answer. */
export function Reader({ reading, wanted, onWanted, nav }: Props) {
  const { brief, inHand } = useFrame()
  const cache = useQueryClient()
  const [opening] = useState(() => {
    const known = Object.fromEntries(
      reading.queue.flatMap((r) => (r.judgement ? [[r.output, r.judgement as Judgement]] : [])),
    )
    const first = reading.queue.findIndex((r) => r.judgement === null)
    return { known, ...(first < 0 ? { to: 0, taken: [] } : passOver(reading.queue, known, first)) }
  })
  const [marks, setMarks] = useState<Record<number, Judgement>>({
    ...asMarks(opening.taken),
    ...opening.known,
  })
  const [at, setAt] = useState(opening.to)
  const [drafts, setDrafts] = useState<Record<number, MarkDraft>>({})
  const [kinds, setKinds] = useState(() => reading.fault_kinds.map((k) => k.name))
  const [counts, setCounts] = useState<Record<string, number>>(() =>
    Object.fromEntries(reading.fault_kinds.map((k) => [k.name, k.n])),
  )
  const [place, setPlace] = useState<Place | null>(null)
  const [open, setOpen] = useState(false)
  // Outputs in the order they were marked in, for the way back.
  const trail = useRef<number[]>([])
  const [canUndo, setCanUndo] = useState(false)
  // Marks on their way: an undo pressed at once waits for all of them.
  const sending = useRef<Promise<unknown>>(Promise.resolve())
  const [shown, setShown] = useState<number | null>(null)
  const [making, setMaking] = useState<number | null>(null)
  const [inherited, setInherited] = useState(0)
  const [problem, setProblem] = useState<unknown>(null)
  const box = useRef<HTMLDivElement>(null)
  const current = reading.queue[at]?.output ?? null
  const output = useOutput(current)
  // The next answer is there before it is asked for.
  useOutput(reading.queue[at + 1]?.output ?? null)
  const text = output.data?.text ?? ''
  const mine = current === null ? undefined : marks[current]
  const draft = (current !== null && drafts[current]) || EMPTY
  const change = (d: MarkDraft) =>
    current !== null && setDrafts((all) => ({ ...all, [current]: d }))
  const quoteOf = (p: Place) => {
    const unit = utf16Offsets(text)
    return text.slice(unit(p.start), unit(p.end))
  }

  const row = reading.queue[at]
  const former = row?.former ?? null
  const since = async (what: Since) => {
    if (!former) return
    // Still so: what was said of the former answer is said of this one, unless something else was.
    const said =
      what === 'still' && isEmpty(draft)
        ? {
            ...draft,
            comment: former.comment || former.spans.map((s) => s.comment).join('; '),
            faults: former.faults,
          }
        : draft
    await mark(
      what === 'fixed' ? 'good' : what === 'worse' ? 'bad' : (former.judgement as Judgement),
      said,
      what,
    )
  }
  const inherit = async ({ output: to, source }: Taken) => {
    // The mark it is taken over from may still be on its way.
    await sending.current
    try {
      const made = await inheritMark(to, { from_output: source, drawn: reading.drawn })
      setMarks((m) => ({ ...m, [to]: made.judgement }))
      setInherited((n) => n + 1)
    } catch (error) {
      setMarks((m) => Object.fromEntries(Object.entries(m).filter(([k]) => Number(k) !== to)))
      setProblem(error)
    }
  }

  const go = (to: number) => {
    setAt(Math.min(Math.max(to, 0), reading.queue.length - 1))
    setPlace(null)
    setOpen(false)
  }
  const mark = async (judgement: Judgement, said = draft, since?: Since) => {
    if (current === null) return
    const marked = current
    const before = marks[marked]
    const known = { ...marks, [marked]: judgement }
    setMarks(known)
    setDrafts((all) => ({ ...all, [marked]: EMPTY }))
    setKinds((all) => [...new Set([...all, ...said.faults])])
    setCounts((all) => said.faults.reduce((n, f) => ({ ...n, [f]: (n[f] ?? 0) + 1 }), all))
    setProblem(null)
    try {
      const sent = markOutput(marked, {
        judgement,
        comment: said.comment,
        spans: said.spans,
        faults: said.faults,
        better: said.better || null,
        drawn: reading.drawn,
        former: former?.mark ?? null,
        since: since ?? '',
      }).then(() => {
        trail.current = [...trail.current, marked]
        setCanUndo(true)
      })
      sending.current = Promise.allSettled([sending.current, sent])
      const next = passOver(reading.queue, known, at + 1)
      if (next.taken.length) setMarks((m) => ({ ...asMarks(next.taken), ...m }))
      next.taken.forEach((x) => void inherit(x))
      go(next.to)
      await sent
      void cache.invalidateQueries({ queryKey: outputQuery(marked).queryKey })
      void cache.invalidateQueries({ queryKey: briefQuery(brief.id).queryKey, exact: true })
    } catch (error) {
      // The mark is taken back and what was said returned, so that nothing typed is lost.
      setMarks((m) => {
        const rest = { ...m }
        if (before) rest[marked] = before
        else delete rest[marked]
        return rest
      })
      setDrafts((all) => ({ ...all, [marked]: said }))
      setAt(at)
      setProblem(error)
    }
  }
  const undo = async () => {
    await sending.current
    const last = trail.current.at(-1)
    if (last === undefined) return
    setProblem(null)
    try {
      const back = await takeBackMark(last)
      trail.current = trail.current.slice(0, -1)
      setCanUndo(trail.current.length > 0)
      // A change of mind that is taken back brings the former mark back.
      const rest = Object.fromEntries(Object.entries(marks).filter(([k]) => Number(k) !== last))
      setMarks(back.judgement ? { ...rest, [last]: back.judgement as Judgement } : rest)
      void cache.invalidateQueries({ queryKey: outputQuery(last).queryKey })
      go(reading.queue.findIndex((r) => r.output === last))
    } catch (error) {
      setProblem(error)
    }
  }
  const makePrecedent = async () => {
    if (mine) return setMaking(current)
    // The last mark may still be on its way.
    await sending.current
    setMaking(trail.current.at(-1) ?? null)
  }
  const step = (by: 1 | -1) => {
    const parts = stops(text)
    if (parts.length === 0) return
    const now = place
      ? parts.findIndex((p) => p.start >= place.start)
      : by === 1
        ? -1
        : parts.length
    setPlace(parts[Math.min(Math.max(now + by, 0), parts.length - 1)] ?? null)
  }
  const focus = (selector: string) => box.current?.querySelector<HTMLElement>(selector)?.focus()

  // What comes first may have been read before, too: its marks are stored once the page stands.
  const begun = useRef(false)
  useEffect(() => {
    if (begun.current) return
    begun.current = true
    opening.taken.forEach((x) => void inherit(x))
  })
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (
        shown !== null ||
        making !== null ||
        isTyping(e.target) ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey
      )
        return
      const key = e.key.toUpperCase()
      const found = MARKS.find((m) => m.key === key)
      const kind = /^[1-9]$/.test(key)
        ? [...new Set([...kinds, ...draft.faults])][Number(key) - 1]
        : undefined
      if (found) void mark(found.judgement)
      else if (key === 'J') go(at + 1)
      else if (key === 'K') go(at - 1)
      else if (key === ']') step(1)
      else if (key === '[') step(-1)
      else if (key === 'C') focus(place ? '[data-span-comment]' : 'textarea')
      else if (key === 'F') focus('[data-fault]')
      else if (key === 'E') focus('textarea[data-better], [data-better] textarea')
      else if (key === 'Z') void undo()
      else if (key === 'P') void makePrecedent()
      else if (former && key === 'X') void since('fixed')
      else if (former && key === 'S') void since('still')
      else if (former && key === 'W') void since('worse')
      else if (kind)
        change({
          ...draft,
          faults: draft.faults.includes(kind)
            ? draft.faults.filter((f) => f !== kind)
            : [...draft.faults, kind],
        })
      else return
      e.preventDefault()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  })

  const done = Object.keys(marks).length
  return (
    <StageGrid
      margin={
        <div ref={box} className="grid gap-3">
          {former && (
            <FormerNote
              former={former}
              text={text}
              onSince={(what) => void since(what)}
              onOpen={setShown}
            />
          )}
          <h2 className="text-base">Your mark</h2>
          <MarkPanel
            key={current}
            draft={draft}
            mine={mine}
            stored={output.data?.mark ?? null}
            kinds={kinds}
            counts={counts}
            place={place && { quote: quoteOf(place) }}
            problem={problem === null ? null : inWords(problem)}
            onChange={change}
            onMark={(j) => void mark(j)}
            onComment={(comment) => {
              if (place)
                change({
                  ...draft,
                  spans: [...draft.spans, { ...place, quote: quoteOf(place), comment }],
                })
              setPlace(null)
              if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
            }}
            onUndo={canUndo ? () => void undo() : null}
            onPrecedent={mine || canUndo ? () => void makePrecedent() : null}
            ofLast={!mine}
            exampleAt={`/briefs/${brief.id}/draft?${inHand === null ? '' : `v=${inHand}&`}example=${current ?? ''}`}
          />
          {reading.trial !== null && <ReadersNote trial={reading.trial} onOpen={setShown} />}
          {reading.trial !== null && (
            <MeasuresNote trial={reading.trial} marked={done} onOpen={setShown} />
          )}
          <Note
            title={reading.drawn ? 'Read blind' : 'Not drawn by chance'}
            tone={reading.drawn ? 'plain' : 'attention'}
          >
            {reading.drawn
              ? 'The arm stays hidden until you have marked, and the order is drawn at random, so that marks say something about an arm as a whole.'
              : 'Marks from this order find faults; they are left out of agreement and of what is said about an arm or a judge as a whole.'}
          </Note>
        </div>
      }
    >
      {nav}
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-rule pb-2">
        <h1 className="text-xl">Reading trial {reading.trial_number}</h1>
        <span className="text-sm text-soft">
          answer {count(at + 1)} of {count(reading.queue.length)}, {plural(done, 'mark')}
          {inherited > 0 && `, ${inherited} taken over from the same answers`}
          {!isEmpty(draft) && mine === undefined && ', not marked yet: what you said is kept here'}
        </span>
        <span className="ml-auto flex items-center gap-2">
          <Button onClick={() => go(at - 1)} disabled={at === 0}>
            Before
          </Button>
          <Button onClick={() => go(at + 1)} disabled={at >= reading.queue.length - 1}>
            Next
          </Button>
        </span>
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {reading.trials.length > 1 && (
          <Choice
            label="Trial read"
            hideLabel
            className="w-24"
            value={reading.trial ?? ''}
            onChange={(e) =>
              onWanted({ ...wanted, trial: Number(e.target.value), arm: null, tag: '' })
            }
          >
            {reading.trials.map((t) => (
              <option key={t.id} value={t.id}>
                trial {t.number}
              </option>
            ))}
          </Choice>
        )}
        {reading.arms.length > 1 && (
          <Choice
            label="Arm read"
            hideLabel
            className="w-32"
            value={wanted.arm ?? ''}
            onChange={(e) =>
              onWanted({
                ...wanted,
                trial: reading.trial,
                arm: e.target.value ? Number(e.target.value) : null,
              })
            }
          >
            <option value="">every arm</option>
            {reading.arms.map((a) => (
              <option key={a.id} value={a.id}>
                {a.label}
              </option>
            ))}
          </Choice>
        )}
        {reading.tags.length > 1 && (
          <Choice
            label="Tag read"
            hideLabel
            className="w-32"
            value={wanted.tag}
            onChange={(e) => onWanted({ ...wanted, trial: reading.trial, tag: e.target.value })}
          >
            <option value="">every tag</option>
            {reading.tags.map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </Choice>
        )}
        <Choice
          label="Order"
          hideLabel
          className="w-48"
          value={reading.order}
          onChange={(e) => onWanted({ ...wanted, order: e.target.value })}
        >
          {ORDERS.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Choice>
      </div>
      {reading.order === 'changed' && (
        <p className="mt-2 border-l-2 border-inform pl-3 text-sm">
          {plural(reading.changed, 'answer')} to cases where a former answer was complained of.{' '}
          <TextAction onClick={() => onWanted({ ...wanted, order: 'random' })}>
            Read by chance instead
          </TextAction>
        </p>
      )}
      {output.isPending && <Waiting what="the answer" />}
      {output.isError && <ErrorLine>{inWords(output.error)}</ErrorLine>}
      {output.data && (
        <article className="mt-4 grid max-w-3xl gap-5" aria-live="polite">
          <Inputs inputs={output.data.case.inputs} />
          <section>
            <h2 className="mb-1 text-base">Answer</h2>
            {output.data.turns.length > 0 && (
              <div className="mb-3">
                <Turns turns={output.data.turns.slice(0, -1)} />
              </div>
            )}
            <AnswerToMark
              output={output.data}
              spans={draft.spans.length || !mine ? draft.spans : spansOf(output.data)}
              chosen={place}
              onChoose={setPlace}
            />
          </section>
          {open || mine ? (
            <>
              <Reference key={output.data.id} output={output.data} />
              <Scores output={output.data} />
              {mine && (
                <p className="text-sm text-soft">
                  This was {output.data.arm.letter}: {output.data.arm.version_label} on{' '}
                  {output.data.arm.model}, {output.data.arm.settings_short}.
                </p>
              )}
            </>
          ) : (
            <p className="text-sm">
              <TextAction onClick={() => setOpen(true)}>Show reference and scores</TextAction>
            </p>
          )}
        </article>
      )}
      <Overlay
        open={making !== null}
        onOpenChange={(o) => !o && setMaking(null)}
        title="Make it a precedent"
      >
        {making !== null && (
          <MakePrecedent key={making} output={making} close={() => setMaking(null)} />
        )}
      </Overlay>
      <Overlay
        open={shown !== null}
        onOpenChange={(o) => !o && setShown(null)}
        title="Answer"
        side
        hideTitle
      >
        {shown !== null && <OutputView id={shown} close={() => setShown(null)} />}
      </Overlay>
    </StageGrid>
  )
}

/** Until the server says which mark was taken over, one from another trial shows as usable. */
function asMarks(taken: Taken[]): Record<number, Judgement> {
  return Object.fromEntries(taken.map((x) => [x.output, x.judgement ?? 'usable']))
}

function spansOf(output: Schemas['OutputShape']) {
  return (output.mark?.spans ?? []).map((s) => ({ ...s, quote: s.quote ?? '' }))
}
