import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'

type Fault = Schemas['FaultShape']
type Remark = Schemas['RemarkShape']

const SOURCES: Record<Fault['source'], string> = {
  mark: 'said by readers',
  span: 'said of single words',
  fault: 'named by readers',
  better: 'better answers',
  measure: 'found by a measure',
  try: 'said while trying',
  twin: 'found by twins',
}
const DRAGGED = 'text/x-nomikon-remark'

type Props = {
  fault: Fault
  /** All of them: a remark may belong to another one. */
  faults: Fault[]
  ticked: boolean
  busy: boolean
  onTick: (on: boolean) => void
  onOpen: (output: number) => void
  /** beside: the remark it belongs with, itself for a group of its own, null to put it back. */
  onPlace: (remark: string, beside: string | null) => void
}

/** A fault with its evidence; a remark is dragged to another fault, or put there by the list beside it. */
export function FaultRow({ fault, faults, ticked, busy, onTick, onOpen, onPlace }: Props) {
  const [open, setOpen] = useState(false)
  const [over, setOver] = useState(false)
  const leader = fault.remarks[0]?.id ?? null
  return (
    <li
      className={`border-b border-rule py-1.5 ${over ? 'bg-wash-action outline-2 outline-action' : ''}`}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes(DRAGGED)) return
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false)
        const remark = e.dataTransfer.getData(DRAGGED)
        if (!remark || leader === null || fault.remarks.some((r) => r.id === remark)) return
        e.preventDefault()
        onPlace(remark, leader)
      }}
    >
      <div className="flex items-baseline gap-2.5">
        <input
          type="checkbox"
          aria-label={`Answer this fault: ${fault.title}`}
          checked={ticked}
          onChange={(e) => onTick(e.target.checked)}
        />
        <div className="min-w-0 flex-1">
          <p className="font-serif text-base break-words">
            {fault.label && fault.source !== 'fault' && (
              <span className="font-sans text-sm font-semibold">{fault.label}: </span>
            )}
            {fault.title}
          </p>
          <p className="text-xs text-soft">
            {SOURCES[fault.source]}, {plural(fault.cases, 'case')}
            {fault.n !== fault.cases && `, ${fault.n} answers`}{' '}
            <TextAction light onClick={() => setOpen(!open)}>
              {open ? 'Hide the evidence' : 'Evidence'}
            </TextAction>
          </p>
        </div>
      </div>
      {open && (
        <ul className="mt-1 ml-7 grid gap-1">
          {fault.remarks.map((r, i) => (
            <RemarkLine
              key={i}
              remark={r}
              others={faults.filter((f) => f.key !== fault.key)}
              alone={fault.remarks.every((o) => o.id === r.id)}
              {...{ busy, onOpen, onPlace }}
            />
          ))}
        </ul>
      )}
    </li>
  )
}

type LineProps = Pick<Props, 'busy' | 'onOpen' | 'onPlace'> & {
  remark: Remark
  others: Fault[]
  /** Nothing else is in its group. */
  alone: boolean
}

const HERE = '',
  APART = 'apart',
  BACK = 'back'

function RemarkLine({ remark: r, others, alone, busy, onOpen, onPlace }: LineProps) {
  return (
    <li
      className="group grid cursor-grab grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-3 text-sm"
      draggable
      onDragStart={(e) => {
        e.dataTransfer.setData(DRAGGED, r.id)
        e.dataTransfer.effectAllowed = 'move'
      }}
    >
      <span className="min-w-0">
        {r.output > 0 ? (
          <TextAction light onClick={() => onOpen(r.output)}>
            case {r.case}
          </TextAction>
        ) : (
          <span className="text-xs text-soft">
            {r.case > 0 ? `while trying, case ${r.case}` : `try ${-r.case}`}
          </span>
        )}{' '}
        {r.text}
        {r.moved && <span className="text-xs text-soft"> put here by a person</span>}
        {r.quote && (
          <span className="block truncate font-mono text-2xs text-soft">“{r.quote}”</span>
        )}
      </span>
      <select
        aria-label={`Where “${r.text}” belongs`}
        className="h-6 w-36 rounded-sm border border-transparent bg-transparent text-xs text-soft group-hover:border-rule focus:border-rule"
        value={HERE}
        disabled={busy}
        onChange={(e) => {
          const to = e.target.value
          if (to === BACK) onPlace(r.id, null)
          else onPlace(r.id, to === APART ? r.id : to)
        }}
      >
        <option value={HERE}>belongs here</option>
        {r.moved && <option value={BACK}>back where it was</option>}
        {!alone && <option value={APART}>in a group of its own</option>}
        {others.map((f) => (
          <option key={f.key} value={f.remarks[0]?.id}>
            with “{f.title.slice(0, 60)}”
          </option>
        ))}
      </select>
    </li>
  )
}
