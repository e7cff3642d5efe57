import { useEffect, useState, type ReactNode } from 'react'
import { inWords } from '@/api/client'
import { Button, Choice, ErrorLine, type Lack, TextAction } from '../controls'
import { costInWords } from '../numbers'
import { ReplyView } from './ReplyView'
import type { Consultation, Consulting, Reading } from './useConsultation'
import { WhatIsAsked } from './WhatIsAsked'

type Props = {
  consulting: Consulting
  /** Who is asked, and what for: the label of the choice and of the button. */
  who: string
  action: string
  disabled?: boolean
  lacks?: (Lack | false)[]
  beside?: ReactNode
  /** What the reply holds, to be taken; shown under what was done to read it. */
  children: (reading: Reading, consultation: Consultation) => ReactNode
}

/** A helping model is asked: what it is told and the price stand before the press, the reply is kept after it. */
export function ConsultationPanel({
  consulting,
  who,
  action,
  disabled,
  lacks = [],
  beside,
  children,
}: Props) {
  const [open, setOpen] = useState(false)
  const { prepared, current, asking } = consulting
  const waiting = asking || (current?.waiting ?? false)
  const cost = prepared.data?.cost_at_most
  const model = consulting.models.find((m) => m.id === consulting.chosen)
  const all = [
    consulting.models.length === 0 && { words: 'no model is there to ask: add one', to: '/models' },
    consulting.models.length > 0 && consulting.chosen === null && 'no model is chosen',
    ...lacks,
  ]
  return (
    <div className="grid min-w-0 gap-3">
      <div className="flex flex-wrap items-end gap-x-3 gap-y-2">
        <Choice
          label={who}
          value={consulting.chosen ?? ''}
          onChange={(e) => consulting.setModel(Number(e.target.value))}
        >
          {consulting.models.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
              {m.simulated ? ' (simulated)' : ''}
            </option>
          ))}
        </Choice>
        <Button
          kind={current ? 'plain' : 'main'}
          disabled={waiting || disabled || (!all.some(Boolean) && !prepared.data)}
          lacks={all}
          onClick={() => void consulting.ask()}
        >
          {action}
        </Button>
        {beside}
        {/* As wide as a price before there is one: what stands behind it may not move under a press. */}
        <span className="min-w-[12rem] pb-1.5 text-sm text-soft">
          {cost === null || cost === undefined
            ? prepared.data && 'no price set'
            : `at most ${costInWords(cost, model?.simulated ? cost : 0)}`}
        </span>
        <TextAction light className="ml-auto pb-1.5 text-sm" onClick={() => setOpen(!open)}>
          {open ? 'Hide what is asked' : 'Read or change what is asked…'}
        </TextAction>
      </div>
      {prepared.isError && <ErrorLine>{inWords(prepared.error)}</ErrorLine>}
      {open && prepared.data && <WhatIsAsked consulting={consulting} prepared={prepared.data} />}
      {consulting.problem !== null && <ErrorLine>{inWords(consulting.problem)}</ErrorLine>}
      {waiting && <Waited />}
      {current && !waiting && (
        <ReplyView key={`${current.id} ${current.text}`} consulting={consulting} found={current}>
          {current.reading && current.reading.items > 0 && children(current.reading, current)}
        </ReplyView>
      )}
    </div>
  )
}

function Waited() {
  const [seconds, setSeconds] = useState(0)
  useEffect(() => {
    const timer = window.setInterval(() => setSeconds((s) => s + 1), 1000)
    return () => window.clearInterval(timer)
  }, [])
  return (
    <p role="status" className="border-l-2 border-inform pl-3 text-sm text-soft">
      The model writes{seconds > 1 ? `, ${seconds} s so far` : ''}. You can leave this page: the
      reply is kept for you.
    </p>
  )
}
