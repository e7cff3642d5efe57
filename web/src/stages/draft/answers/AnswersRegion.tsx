import { lazy, type ReactNode, Suspense, useState } from 'react'
import { inWords } from '@/api/client'
import { useKeys } from '@/keys/useKeys'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { useModels } from '../try/ModelPicks'
import { AskedText } from './AskedText'
import { Body, type RegionProps } from './regionParts'
import type { To } from './to'
import { useAsking } from './useAsking'
import { useHeight } from './useHeight'
import { useTryForm } from './useTryForm'

const KeptText = lazy(async () => ({ default: (await import('./KeptText')).KeptText }))
const SeveralText = lazy(async () => ({ default: (await import('./SeveralText')).SeveralText }))
const Collection = lazy(async () => ({
  default: (await import('./feed/Collection')).Collection,
}))
const TalkText = lazy(async () => ({ default: (await import('./talk/TalkText')).TalkText }))

/** The answers below the text: to a case, to what is typed, kept cases, several values or in a talk. */
export function AnswersRegion(props: RegionProps) {
  const { brief, cases } = props
  const { height, folded, fold, grip } = useHeight()
  const { form, set, clash, settle, isRead } = useTryForm(brief.id)
  const models = useModels()
  const asking = useAsking(brief.id, models)
  const to: To = form.to ?? (cases.dataset ? 'case' : 'typed')
  const setTo = (next: To) => set({ to: next })
  const [collecting, setCollecting] = useState(false)
  // How often the key for the kept cases was pressed.
  const [pressed, setPressed] = useState(0)
  useKeys({
    'draft.collection': () => setCollecting(true),
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
  const way = {
    ...props,
    form,
    setForm: set,
    asking,
    to,
    setTo,
    head,
    height: folded ? null : height,
    onCollection: () => setCollecting(true),
  }
  return (
    <section
      aria-label="Answers"
      data-region
      tabIndex={-1}
      className="sticky bottom-0 z-[5] border-t-2 border-ink bg-sheet px-6 outline-none"
    >
      {grip}
      {clash && (
        <p role="alert" className="border-l-2 border-attention bg-wash-attention px-3 py-1 text-sm">
          Another tab has set something else for the next try.{' '}
          <TextAction onClick={() => settle(false)}>Take that</TextAction>
          {' · '}
          <TextAction onClick={() => settle(true)}>Keep what stands here</TextAction>
        </p>
      )}
      {asking.problem !== null && <ErrorLine>{inWords(asking.problem)}</ErrorLine>}
      {!isRead ? (
        <Body height={height}>
          <Waiting what="what was asked" />
        </Body>
      ) : to === 'case' || to === 'typed' ? (
        <AskedText {...way} to={to} />
      ) : (
        <Suspense fallback={<Waiting what="the answers" />}>
          {to === 'kept' && <KeptText {...way} pressed={pressed} />}
          {to === 'several' && <SeveralText {...way} />}
          {to === 'talk' && <TalkText {...way} />}
        </Suspense>
      )}
      <Overlay open={collecting} onOpenChange={setCollecting} title="Collection" side>
        <Suspense fallback={<Waiting what="the collection" />}>
          <Collection brief={brief.id} change={props.change} />
        </Suspense>
      </Overlay>
    </section>
  )
}
