import type { ReactNode } from 'react'

const ASKED = 'nomikon word asked'

/** A word of the trade or of ours where it stands: a press tells what it means. */
export function Word({ of, children }: { of: string; children?: ReactNode }) {
  return (
    <button
      type="button"
      title="what this word means"
      className="border-b border-dotted border-rule-strong hover:border-ink"
      onClick={() => window.dispatchEvent(new CustomEvent(ASKED, { detail: of }))}
    >
      {children ?? of}
    </button>
  )
}

/** Hears which word is asked for; gives back how to hear no more. */
export function onWord(tell: (word: string) => void): () => void {
  const hear = (e: Event) => tell(String((e as CustomEvent).detail))
  window.addEventListener(ASKED, hear)
  return () => window.removeEventListener(ASKED, hear)
}
