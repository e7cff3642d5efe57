import type { EditorView } from '@codemirror/view'
import { lazy, type ReactNode, type RefObject, Suspense } from 'react'
import { useSearchParams } from 'react-router'
import { useKeys } from '@/keys/useKeys'
import { AlignedNotes, type PlacedNote } from '@/parts/Margin'
import { utf16Offsets } from '@/parts/codepoints'
import { Waiting } from '@/parts/controls'
import type { Brief } from '../frame'
import type { WorkingCopy } from './workingCopy'

const HowRead = lazy(async () => ({ default: (await import('./HowRead')).HowRead }))

type Props = {
  notes: PlacedNote[]
  minHeight: number
  brief: Brief
  copy: WorkingCopy
  views: RefObject<Map<string, EditorView>>
}

// The line that names the layers; notes begin below it.
const HEAD = 30

/** The margin's layers: what is to be settled beside its line, and how the text is read. */
export function DraftLayers({ notes, minHeight, brief, copy, views }: Props) {
  const [search, setSearch] = useSearchParams()
  const reading = search.get('margin') === 'read'
  const show = (read: boolean) =>
    setSearch(
      (now) => {
        if (read) now.set('margin', 'read')
        else now.delete('margin')
        return now
      },
      { replace: true },
    )
  useKeys({ 'draft.read': () => show(!reading) })
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
  return (
    <>
      <p className="flex gap-3 text-xs" style={{ height: HEAD }}>
        <Layer on={!reading} onClick={() => show(false)}>
          To settle {notes.length > 0 && notes.length}
        </Layer>
        <Layer on={reading} onClick={() => show(true)}>
          How it is read
        </Layer>
      </p>
      {reading ? (
        <Suspense fallback={<Waiting what="the text" />}>
          <HowRead brief={brief} copy={copy} onPlace={place} />
        </Suspense>
      ) : (
        // Their places are told from the margin's top.
        <div style={{ marginTop: -HEAD }}>
          <AlignedNotes
            notes={notes.map((n) => ({ ...n, at: Math.max(n.at, HEAD) }))}
            minHeight={minHeight}
          />
        </div>
      )}
    </>
  )
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
