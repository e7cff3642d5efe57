import type { EditorView } from '@codemirror/view'
import {
  lazy,
  type ReactNode,
  type RefObject,
  Suspense,
  useCallback,
  useEffect,
  useRef,
} from 'react'
import { useSearchParams } from 'react-router'
import { useKeys } from '@/keys/useKeys'
import { AlignedNotes, type PlacedNote } from '@/parts/Margin'
import { utf16Offsets } from '@/parts/codepoints'
import { TextAction, Waiting } from '@/parts/controls'
import type { Brief } from '../frame'
import { toRows, type WorkingCopy } from './workingCopy'

const HowRead = lazy(async () => ({ default: (await import('./HowRead')).HowRead }))

const Effect = lazy(async () => ({ default: (await import('./Effect')).Effect }))
const StandingReading = lazy(async () => ({
  default: (await import('./reading/StandingReading')).StandingReading,
}))

type Props = {
  notes: PlacedNote[]
  minHeight: number
  brief: Brief
  copy: WorkingCopy
  views: RefObject<Map<string, EditorView>>
  changed: boolean
  number: number | null
  onWeights: () => void
  onCourse: () => void
  /** How many changes are proposed for wishes. */
  proposed: number
}

// The line that names the layers; notes begin below it.
const HEAD = 30

/** The margin's layers: what is to be settled beside its line, how the text is read, what was changed. */
export function DraftLayers({
  notes,
  minHeight,
  brief,
  copy,
  views,
  changed,
  number,
  onWeights,
  onCourse,
  proposed,
}: Props) {
  const [layer, show] = useLayer()
  const box = useRef<HTMLDivElement>(null)
  useKeys({
    'draft.read': () => show(layer === 'read' ? 'settle' : 'read'),
    'draft.next_note': () => walk(box.current, 1),
    'draft.former_note': () => walk(box.current, -1),
    'draft.take_note': () => press(box.current, '[data-take]'),
    'draft.leave_note': () => press(box.current, '[data-leave]'),
  })
  // What was wished for stands where it can be taken.
  const former = useRef(proposed)
  useEffect(() => {
    if (proposed > former.current) show('settle')
    former.current = proposed
  }, [proposed, show])
  const place = (message: number, start: number, end: number) => {
    const row = copy.messages[message]
    const view = row && views.current.get(row.id)
    if (!row || !view) return
    const at = utf16Offsets(row.content)
    const last = view.state.doc.length
    view.dispatch({
      selection: { anchor: Math.min(at(start), last), head: Math.min(at(end), last) },
      scrollIntoView: true,
    })
    view.focus()
  }
  const parent = brief.versions.find((v) => v.number === number)?.parent ?? null
  const settle = notes.filter((n) => !n.changes && n.key !== 'none').length
  const told = notes.filter(
    (n) => (layer === 'changes') === (n.changes ?? false) && !(n.key === 'none' && settle > 0),
  )
  const changes = notes.filter((n) => n.changes && n.key !== 'unchanged').length
  return (
    <div ref={box}>
      <p className="relative z-[1] flex gap-3 text-xs whitespace-nowrap" style={{ height: HEAD }}>
        <Layer on={layer === 'settle'} onClick={() => show('settle')}>
          To settle {settle > 0 && settle}
        </Layer>
        <Layer on={layer === 'read'} onClick={() => show('read')}>
          How it is read
        </Layer>
        <Layer on={layer === 'changes'} onClick={() => show('changes')}>
          Changes {changes > 0 && changes}
        </Layer>
      </p>
      {!changed && (
        <Suspense fallback={null}>
          <StandingReading brief={brief.id} messages={toRows(copy)} />
        </Suspense>
      )}
      {layer === 'changes' && number !== null && (
        <div className="relative z-[1] mb-3 grid gap-3">
          {parent !== null && !changed && (
            <Suspense fallback={null}>
              <Effect brief={brief.id} number={number} parent={parent} />
            </Suspense>
          )}
          <span className="flex gap-3 text-xs">
            <TextAction light onClick={onWeights}>
              What each line is worth…
            </TextAction>
            <TextAction light onClick={onCourse}>
              The course…
            </TextAction>
          </span>
        </div>
      )}
      {layer === 'read' ? (
        <Suspense fallback={<Waiting what="the text" />}>
          <HowRead brief={brief} copy={copy} onPlace={place} />
        </Suspense>
      ) : (
        // Their places are told from the margin's top.
        <div style={{ marginTop: -HEAD }}>
          <AlignedNotes
            notes={told.map((n) => ({ ...n, at: Math.max(n.at, HEAD) }))}
            minHeight={minHeight}
          />
        </div>
      )}
    </div>
  )
}

const LAYERS = ['settle', 'read', 'changes'] as const
type LayerName = (typeof LAYERS)[number]

/** Which layer shows; it is part of the address. */
function useLayer(): [LayerName, (name: LayerName) => void] {
  const [search, setSearch] = useSearchParams()
  const show = useCallback(
    (name: LayerName) =>
      setSearch(
        (now) => {
          if (name === 'settle') now.delete('margin')
          else now.set('margin', name)
          return now
        },
        { replace: true },
      ),
    [setSearch],
  )
  return [LAYERS.find((l) => l === search.get('margin')) ?? 'settle', show]
}

/** The note after or before the one in hand comes in hand. */
function walk(box: HTMLElement | null, by: 1 | -1) {
  const notes = [...(box?.querySelectorAll<HTMLElement>('[data-note]') ?? [])]
  const at = notes.findIndex((n) => n.contains(document.activeElement))
  const next = notes[at < 0 ? (by > 0 ? 0 : notes.length - 1) : at + by]
  next?.focus()
  next?.scrollIntoView({ block: 'nearest' })
}

/** What the note in hand offers; of none in hand the first one that offers it. */
function press(box: HTMLElement | null, what: string) {
  const inHand = document.activeElement?.closest<HTMLElement>('[data-note]')
  const place = inHand && box?.contains(inHand) ? inHand : box
  place?.querySelector<HTMLElement>(what)?.click()
}

type LayerProps = { on: boolean; onClick: () => void; children: ReactNode }

/** The name of a layer; the one that shows stands out. */
function Layer({ on, onClick, children }: LayerProps) {
  return (
    <button
      type="button"
      aria-pressed={on}
      className={`h-5 ${on ? 'border-b-2 border-ink font-semibold' : 'text-soft hover:text-ink hover:underline'}`}
      onClick={onClick}
    >
      {children}
    </button>
  )
}
