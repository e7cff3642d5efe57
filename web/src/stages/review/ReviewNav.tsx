export type View = 'reading' | 'pairs' | 'faults' | 'rounds'
const VIEWS: [View, string][] = [
  ['reading', 'Reading'],
  ['pairs', 'Pairs'],
  ['faults', 'Faults and amendments'],
  ['rounds', 'Automatic rounds'],
]

/** The ways of working with answers: one by one, two by two, all that was said of them, and by itself. */
export function ReviewNav({ view, show }: { view: View; show: (v: View) => void }) {
  return (
    <nav aria-label="Review" className="mb-3 flex gap-5 border-b border-rule text-sm">
      {VIEWS.map(([v, words]) => (
        <button
          key={v}
          type="button"
          aria-current={v === view ? 'page' : undefined}
          className="-mb-px border-b-2 border-transparent pb-1.5 text-soft hover:text-ink aria-[current=page]:border-ink aria-[current=page]:font-semibold aria-[current=page]:text-ink"
          onClick={() => show(v)}
        >
          {words}
        </button>
      ))}
    </nav>
  )
}
