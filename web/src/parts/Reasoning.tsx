/** What a model thought before its answer; no part of it. */
export function Reasoning({ children }: { children: string }) {
  return (
    <details className="mb-2 text-sm text-soft">
      <summary className="cursor-pointer">
        Its reasoning, kept apart: never scored, never sent on
      </summary>
      <pre className="mt-1 max-h-72 overflow-y-auto border-l-2 border-rule-strong px-3 py-1.5 font-serif text-sm break-words whitespace-pre-wrap">
        {children}
      </pre>
    </details>
  )
}

/** Whether a simulated model says that a request is beyond it. */
export function isBeyond(text: string): boolean {
  return text.startsWith('Simulated model:')
}

export const BEYOND_WORDS =
  'Simulated models work by rule and cannot judge such a prompt: try it on a real one.'
