import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from 'react'

export type Tone = 'action' | 'attention' | 'harm' | 'inform' | 'plain'

const TONES: Record<Tone, [string, string]> = {
  action: ['border-action', 'text-action'],
  attention: ['border-attention', 'text-attention-text'],
  harm: ['border-harm', 'text-harm'],
  inform: ['border-inform', 'text-inform'],
  plain: ['border-rule-strong', 'text-soft'],
}

type NoteProps = { tone?: Tone; title: ReactNode; children?: ReactNode }

/** One note in the margin: a coloured title says what it is about, the text what there is to say. */
export function Note({ tone = 'plain', title, children }: NoteProps) {
  const [border, text] = TONES[tone]
  return (
    <div data-tone={tone} className={`border-l-2 pl-2.5 ${border}`}>
      <p className={`text-xs font-semibold ${text}`}>{title}</p>
      {children !== undefined && (
        <div className="mt-0.5 font-serif text-sm leading-[1.2rem] break-words">{children}</div>
      )}
    </div>
  )
}

/** changes: it tells what differs, and belongs to the layer of changes where there are layers. */
export type PlacedNote = { key: string; at: number; note: ReactNode; changes?: boolean | undefined }

/** Notes beside their lines: each as near to its line as the one above it allows. */
export function AlignedNotes({ notes, minHeight }: { notes: PlacedNote[]; minHeight: number }) {
  const box = useRef<HTMLDivElement>(null)
  const [tops, setTops] = useState<Record<string, number>>({})
  const [height, setHeight] = useState(0)
  const [grown, setGrown] = useState(0)
  const ordered = [...notes].sort((a, b) => a.at - b.at)
  const shape = ordered.map((n) => `${n.key}@${Math.round(n.at)}`).join('|')
  useEffect(() => {
    // A note may grow while it is used (a field opens in it): those below make room.
    const observer = new ResizeObserver(() => setGrown((n) => n + 1))
    for (const child of Array.from(box.current?.children ?? [])) observer.observe(child)
    return () => observer.disconnect()
  }, [shape])
  useLayoutEffect(() => {
    const found: Record<string, number> = {}
    let free = 0
    for (const child of Array.from(box.current?.children ?? [])) {
      const element = child as HTMLElement
      const key = element.dataset.key ?? ''
      const top = Math.max(free, Number(element.dataset.at ?? 0))
      found[key] = top
      free = top + element.offsetHeight + 12
    }
    // eslint-disable-next-line react-hooks/set-state-in-effect -- heights are known only once laid out
    setTops(found)
    setHeight(free)
  }, [shape, grown])
  return (
    <div ref={box} className="relative" style={{ minHeight: Math.max(minHeight, height) }}>
      {ordered.map((n) => (
        <div
          key={n.key}
          data-key={n.key}
          data-at={n.at}
          data-note
          tabIndex={-1}
          className="absolute inset-x-0 outline-offset-4"
          style={{ top: tops[n.key] ?? n.at }}
        >
          {n.note}
        </div>
      ))}
    </div>
  )
}
