import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useMemo, useRef, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { grantWishes, wishesQuery } from '@/api/wishes'
import { useWrite } from '@/api/useWrite'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { Button, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { toRows, type WorkingCopy } from '../workingCopy'
import { wishedAt } from './reasons'
import type { WantedNote } from '../placedNotes'
import type { Take } from '../useDraft'
import type { Report } from '../useReport'
import { keyOf, notesFor } from './wishNotes'

const WishTried = lazy(async () => ({ default: (await import('./WishTried')).WishTried }))
const WishModel = lazy(async () => ({ default: (await import('./WishModel')).WishModel }))

type Props = {
  copy: WorkingCopy
  take: Take
  report: Report | undefined
  /** What is proposed stands in the margin, beside its line. */
  onProposals: (notes: WantedNote[]) => void
  onCompose: () => void
}

const MOST = 20

/** Change it so that…: each Enter a wish; what rules propose for it is taken or left one by one. */
export function WishLine({ copy, take, report, onProposals, onCompose }: Props) {
  const { brief } = useFrame()
  const [said, setSaid] = useTyped(`wish ${brief.id}`, '')
  const [wishes, setWishes] = useTyped<string[]>(`wishes ${brief.id}`, [])
  const [wished, setWished] = useTyped<Schemas['ReasonShape'][]>(wishedAt(brief.id), [])
  const [left, setLeft] = useState<string[]>([])
  const [byModel, setByModel] = useState(false)
  const [trying, setTrying] = useState(false)
  const field = useRef<HTMLInputElement>(null)
  useKeys({ 'draft.wish': () => field.current?.focus() })
  const messages = toRows(copy).filter((m) => m.content !== '')
  const empty = messages.every((m) => !m.content.trim())
  const found = useQuery({
    ...wishesQuery(brief.id, { messages, wishes }),
    enabled: wishes.length > 0 && !empty,
    placeholderData: (former) => former,
    retry: false,
  })
  const { write, pending, problem } = useWrite()
  const add = () => {
    const more = said
      .split('\n')
      .map((w) => w.trim())
      .filter((w) => w && !wishes.includes(w))
    if (more.length) setWishes([...wishes, ...more].slice(0, MOST))
    setSaid('')
  }
  const drop = (wish: string) => setWishes(wishes.filter((w) => w !== wish))
  const put = (made: Schemas['WishesShape']) => {
    if (!made.messages) return
    take(made.messages, made.reasons.map((r) => r.reason).join('; '))
    setWished([...wished, ...made.reasons])
  }
  const takeOne = (id: string) =>
    void write(async () => put(await grantWishes(brief.id, { messages, wishes, take: [id] })))
  const open = wishes.length > 0 && found.data ? found.data : null
  const shown = useShown(open, left)
  const busy = pending || found.isPlaceholderData
  const acts = useRef({ take: takeOne, leave: (key: string) => setLeft([...left, key]) })
  useEffect(() => {
    acts.current = { take: takeOne, leave: (key) => setLeft([...left, key]) }
  })
  useEffect(() => {
    onProposals(notesFor(shown, report, busy, acts))
  }, [shown, report, busy, onProposals])
  useEffect(() => () => onProposals([]), [onProposals])
  return (
    <section aria-label="Wishes" className="mt-4 border-l-2 border-rule-strong pl-3">
      <label className="flex items-baseline gap-2 text-sm">
        <span className="shrink-0 font-serif italic">Change it so that</span>
        <input
          ref={field}
          className="min-w-0 flex-1 border-b border-rule-strong bg-transparent py-1 font-serif outline-offset-2"
          placeholder="at most 40 words · add the label refund · answer in German"
          value={said}
          maxLength={500}
          onChange={(e) => setSaid(e.target.value)}
          onPaste={(e) => {
            const pasted = e.clipboardData.getData('text')
            if (!pasted.includes('\n')) return
            e.preventDefault()
            const more = pasted.split('\n').map((w) => w.trim().slice(0, 500))
            setWishes([...new Set([...wishes, ...more.filter(Boolean)])].slice(0, MOST))
          }}
          onKeyDown={(e) => e.key === 'Enter' && !e.nativeEvent.isComposing && add()}
        />
        <KeyCaps of="draft.wish" />
      </label>
      {wishes.length > 0 && (
        <ul className="mt-2 grid gap-1 text-sm" aria-label="What is wished for">
          {wishes.map((w) => (
            <li key={w} className="flex flex-wrap items-baseline gap-x-3">
              <span className="font-serif">{w}</span>
              <span className="text-xs text-soft">{standing(open, w)}</span>
              <TextAction light className="text-xs" onClick={() => drop(w)}>
                Drop it
              </TextAction>
            </li>
          ))}
        </ul>
      )}
      {wishes.length > 0 && empty && (
        <p className="mt-2 flex flex-wrap items-baseline gap-x-3 text-sm text-soft">
          There is no text yet that could be changed: the first one can be written with them.
          <Button small onClick={onCompose}>
            Write the first version with {wishes.length === 1 ? 'it' : 'these'}…
          </Button>
        </p>
      )}
      {found.isError && wishes.length > 0 && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {open && (
        <p className="mt-2 flex flex-wrap items-baseline gap-x-4 text-xs text-soft">
          {shown.length > 0 && (
            <span role="status">
              {plural(shown.length, 'change')} proposed in the margin, beside{' '}
              {shown.length === 1 ? 'its' : 'their'} line
            </span>
          )}
          {shown.length > 0 && !trying && (
            <TextAction onClick={() => setTrying(true)}>Try on three cases…</TextAction>
          )}
          {!byModel && (
            <TextAction onClick={() => setByModel(true)}>Ask a model for these wishes…</TextAction>
          )}
        </p>
      )}
      {trying && shown.length > 0 && (
        <Suspense fallback={<Waiting what="three cases" />}>
          <WishTried
            copy={copy}
            wishes={wishes}
            messages={messages}
            take={shown.map((p) => p.id)}
          />
        </Suspense>
      )}
      {byModel && wishes.length > 0 && (
        <Suspense fallback={<Waiting what="the models" />}>
          <WishModel messages={messages} wishes={wishes} onTaken={put} />
        </Suspense>
      )}
    </section>
  )
}

type Proposal = Schemas['AmendmentProposal']
const NONE: Proposal[] = []

/** What is proposed and was not left. */
function useShown(open: Schemas['WishesShape'] | null, left: string[]): Proposal[] {
  return useMemo(
    () => open?.proposals.filter((p) => !left.includes(keyOf(p))) ?? NONE,
    [open, left],
  )
}

function standing(open: Schemas['WishesShape'] | null, wish: string): string {
  if (!open) return ''
  if (open.met.includes(wish)) return 'the text says so'
  return open.unmet.find((u) => u.wish === wish)?.why ?? ''
}
