import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { Button } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../frame'
import { ExtendForm } from './ExtendForm'
import { EVERYTHING, type Selection } from './answers/selection'
import { ContinueButton, HaltButtons } from './HaltAndContinue'
import { LabelsView } from './LabelsView'
import { ScoreAnew } from './ScoreAnew'
import { Progress } from './Standing'

type Trial = Schemas['TrialSummary']
type Sheet = 'extend' | 'rest' | 'labels' | 'rescore'

type Props = {
  trial: Trial
  done: number
  onOutput: (id: number) => void
  onSelect: (part: Partial<Selection>) => void
}

/** A trial's question, how far it has come, and what can be done with it. */
export function BoardHead({ trial: t, done, onOutput, onSelect }: Props) {
  const { brief } = useFrame()
  const [sheet, setSheet] = useState<Sheet | null>(null)
  const open = t.state === 'running' || t.state === 'queued'
  const plan = `/briefs/${brief.id}/trials/plan`
  return (
    <header className="mb-1.5">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h1 className="min-w-0 flex-1 basis-64 text-xl break-words">
          {t.question || `Trial ${t.number}`}
        </h1>
        <span className="flex shrink-0 flex-wrap items-center gap-2">
          {open ? <HaltButtons trial={t} /> : <ContinueButton trial={t} />}
          {t.choice && !open && <Button onClick={() => setSheet('rest')}>The rest too…</Button>}
          <More trial={t} open={open} plan={plan} onSheet={setSheet} />
          <Link
            to={plan}
            className="inline-flex h-8 items-center rounded-sm border border-action bg-action px-3 text-sm font-semibold whitespace-nowrap text-on-action"
          >
            Plan a trial…
          </Link>
        </span>
      </div>
      <Progress trial={t} done={done} />
      <Overlay
        open={sheet === 'extend' || sheet === 'rest'}
        onOpenChange={(o) => !o && setSheet(null)}
        title={`Extend trial ${t.number}`}
      >
        {(sheet === 'extend' || sheet === 'rest') && (
          <ExtendForm trial={t} rest={sheet === 'rest'} close={() => setSheet(null)} />
        )}
      </Overlay>
      <Overlay
        open={sheet === 'labels'}
        onOpenChange={(o) => !o && setSheet(null)}
        title={`Right and wrong by label in trial ${t.number}`}
        side
      >
        {sheet === 'labels' && (
          <LabelsView
            trial={t}
            onOpen={(output) => {
              setSheet(null)
              onOutput(output)
            }}
            onSelect={(arm, cell) => {
              setSheet(null)
              onSelect({ ...EVERYTHING, arms: [arm], cell })
            }}
          />
        )}
      </Overlay>
      <Overlay
        open={sheet === 'rescore'}
        onOpenChange={(o) => !o && setSheet(null)}
        title={`Score trial ${t.number} by another card`}
      >
        {sheet === 'rescore' && <ScoreAnew trial={t} />}
      </Overlay>
    </header>
  )
}

const ITEM =
  'block cursor-default rounded-sm px-2 py-1 outline-none data-[disabled]:text-soft data-[highlighted]:bg-wash-action'

function More({
  trial: t,
  open,
  plan,
  onSheet,
}: {
  trial: Trial
  open: boolean
  plan: string
  onSheet: (sheet: Sheet) => void
}) {
  const { brief } = useFrame()
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="inline-flex h-8 items-center rounded-sm border border-rule-strong bg-sheet px-3 text-sm hover:border-ink">
        More…
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-20 min-w-60 rounded-sm border border-rule-strong bg-paper p-1 font-sans text-sm shadow-lg"
        >
          <DropdownMenu.Item className={ITEM} disabled={open} onSelect={() => onSheet('extend')}>
            Extend: more cases, arms or repeats…
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            disabled={t.done === 0}
            onSelect={() => onSheet('labels')}
          >
            Right and wrong by label…
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={ITEM}
            disabled={open || t.done === 0}
            onSelect={() => onSheet('rescore')}
          >
            Score by another card…
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} asChild>
            <Link to={`${plan}?like=${t.id}`}>Plan another like this one…</Link>
          </DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} asChild>
            <Link to={`/briefs/${brief.id}/trials/list`}>All trials of this brief</Link>
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
