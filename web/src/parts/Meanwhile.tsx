import { Problem } from '@/api/client'
import { Button } from './controls'
import { asText } from './text'

type Values = Record<string, unknown>

/** What is there now, where somebody else changed it since it was opened; null for any other problem. */
export function changedMeanwhile(problem: unknown): Values | null {
  return problem instanceof Problem && problem.title === 'changed_meanwhile'
    ? (problem.facts.now as Values)
    : null
}

type Props = {
  now: Values
  mine: Values
  /** What each value is called on the form; others are not shown. */
  names: Record<string, string>
  onTheirs: (now: Values) => void
  onMine: (now: Values) => void
}

/** Two changed one thing: both stand side by side, and nothing is overwritten until one says so. */
export function Meanwhile({ now, mine, names, onTheirs, onMine }: Props) {
  const other = Object.keys(names).filter((name) => asText(now[name]) !== asText(mine[name]))
  return (
    <div role="alert" className="border-l-2 border-attention bg-wash-attention px-3 py-2 text-sm">
      <p>
        Somebody else changed this since you opened it. Nothing was overwritten; what you typed is
        still here.
      </p>
      {other.map((name) => (
        <div key={name} className="mt-2 grid grid-cols-2 gap-4">
          {[
            ['now', now],
            ['yours', mine],
          ].map(([whose, values]) => (
            <div key={whose as string} className="min-w-0">
              <p className="text-xs text-soft">
                {names[name]}, {whose as string}
              </p>
              <p className="max-h-40 overflow-y-auto border-l-2 border-rule-strong pl-2 font-serif break-words whitespace-pre-wrap">
                {asText((values as Values)[name]) || 'nothing'}
              </p>
            </div>
          ))}
        </div>
      ))}
      <p className="mt-2 flex gap-2">
        <Button small onClick={() => onMine(now)}>
          Save mine over it
        </Button>
        <Button small onClick={() => onTheirs(now)}>
          Take what is there now
        </Button>
      </p>
    </div>
  )
}
