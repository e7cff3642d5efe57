import type { Schemas } from '@/api/client'

/** A conversation as it went, the user's turns and the arm's answers in order. */
export function Turns({ turns }: { turns: Schemas['TurnShape'][] }) {
  return (
    <ol className="grid gap-2" aria-label="Conversation">
      {turns.map((t, i) => (
        <li key={i} className={t.role === 'user' ? 'pr-10' : 'pl-10'}>
          <p className="text-xs text-soft">
            {t.role === 'user' ? 'user' : 'answer'}, turn {Math.floor(i / 2) + 1}
          </p>
          {t.role === 'user' ? (
            <p
              className="border-l-2 border-rule-strong pl-3 font-serif text-base break-words whitespace-pre-wrap"
              dir="auto"
            >
              {t.text}
            </p>
          ) : (
            <pre
              className="border-l-2 border-ink bg-sheet px-3 py-1.5 font-mono text-sm break-words whitespace-pre-wrap"
              dir="auto"
            >
              {t.text}
            </pre>
          )}
        </li>
      ))}
    </ol>
  )
}
