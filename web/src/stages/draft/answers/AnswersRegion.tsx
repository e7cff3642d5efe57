import { lazy, type ReactNode, Suspense, useState } from 'react'
import { useKeys } from '@/keys/useKeys'
import { Waiting } from '@/parts/controls'
import { useTyped } from '@/parts/typed'
import { AskedText } from './AskedText'
import { Body, type RegionProps, type To, ToChoices } from './regionParts'
import { useHeight } from './useHeight'

const PinnedView = lazy(async () => ({
  default: (await import('../try/PinnedView')).PinnedView,
}))
const SweepView = lazy(async () => ({ default: (await import('../try/SweepView')).SweepView }))

/** The answers below the text: to one case, a typed one, kept cases or several values; it folds to a line. */
export function AnswersRegion(props: RegionProps) {
  const { brief, copy, against, cases, placeholders } = props
  const { height, folded, fold, grip } = useHeight()
  const [chosen, setTo] = useTyped<To | null>(`answers ${brief.id} to`, null)
  const to = chosen ?? (cases.dataset ? 'case' : 'typed')
  // How often the key for the kept cases was pressed.
  const [pressed, setPressed] = useState(0)
  useKeys({
    'draft.pinned': () => [setTo('kept'), fold(false), setPressed((n) => n + 1)],
  })
  const head = (words: ReactNode, right: ReactNode = null) => (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 py-2 text-sm">
      <button
        type="button"
        aria-expanded={!folded}
        className="font-serif text-base font-semibold hover:underline"
        title={folded ? 'show the answers' : 'fold the answers'}
        onClick={() => fold(!folded)}
      >
        Answers
      </button>
      <span className="min-w-0">{words}</span>
      <span className="ml-auto flex items-center gap-2">{right}</span>
    </div>
  )
  return (
    <section
      aria-label="Answers"
      data-region
      tabIndex={-1}
      className="sticky bottom-0 z-[5] border-t-2 border-ink bg-sheet px-6 outline-none"
    >
      {grip}
      {(to === 'case' || to === 'typed') && (
        <AskedText {...props} to={to} setTo={setTo} head={head} height={folded ? null : height} />
      )}
      {to === 'kept' && (
        <Suspense fallback={<Waiting what="the kept cases" />}>
          {head(<ToChooserWords to={to} setTo={setTo} />)}
          <Body height={folded ? null : height}>
            <PinnedView
              brief={brief}
              copy={copy}
              against={against}
              cases={cases}
              pressed={pressed}
            />
          </Body>
        </Suspense>
      )}
      {to === 'several' && (
        <Suspense fallback={<Waiting what="the values" />}>
          {head(<ToChooserWords to={to} setTo={setTo} />)}
          <Body height={folded ? null : height}>
            <SweepView brief={brief} copy={copy} cases={cases} placeholders={placeholders} />
          </Body>
        </Suspense>
      )}
    </section>
  )
}

function ToChooserWords(props: { to: To; setTo: (to: To) => void }) {
  return (
    <span className="flex items-baseline gap-2">
      to <ToChoices {...props} />
    </span>
  )
}
