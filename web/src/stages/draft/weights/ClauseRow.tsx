import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'

export type RowTone = 'earns' | 'hurts' | 'idle' | 'stays' | null

const SIDES: Record<Exclude<RowTone, null>, string> = {
  earns: 'border-l-action bg-wash-action',
  hurts: 'border-l-harm bg-wash-harm',
  idle: 'border-l-attention bg-wash-attention',
  stays: 'border-l-transparent text-soft',
}

type Props = {
  clause: Schemas['WeighedLine']
  tone: RowTone
  before?: ReactNode
  margin: ReactNode
}

/** A clause as it reads, and beside it what there is to say about it. */
export function ClauseRow({ clause, tone, before, margin }: Props) {
  return (
    <div
      className={`grid grid-cols-[4.5rem_minmax(0,1fr)_18rem] ${clause.first ? 'border-t border-rule first:border-t-0' : ''}`}
    >
      <div className="flex items-start justify-between py-1.5 pr-2 text-xs text-soft">
        <span className="flex h-6 w-5 items-center">{before}</span>
        <span className="leading-6">§ {clause.number}</span>
      </div>
      <div
        className={`my-0.5 self-start border-l-2 py-1 pr-3 pl-3 ${tone ? SIDES[tone] : 'border-l-transparent'}`}
      >
        {clause.first && <span className="mr-2 text-xs text-soft">{clause.role}</span>}
        <span className="font-serif text-base leading-6 break-words whitespace-pre-wrap">
          {clause.text}
        </span>
      </div>
      <div className="border-l border-rule py-1 pl-4">{margin}</div>
    </div>
  )
}
