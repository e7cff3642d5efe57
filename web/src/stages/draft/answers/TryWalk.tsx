import { useKeys } from '@/keys/useKeys'
import { TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'
import { fromRows, toRows, type WorkingCopy } from '../workingCopy'
import type { Tried, useAsking } from './useAsking'

type FormerProps = {
  asking: ReturnType<typeof useAsking>
  before: boolean
  setBefore: (on: boolean) => void
}

/** ‹ try 5 of 9 ›, and the one before it beside it. */
export function TryWalk({ asking, before, setBefore }: FormerProps) {
  const { tried, count, go } = asking
  const to = (n: number) => n >= 1 && n <= count && go(n === count ? null : n)
  useKeys({
    'draft.former_try': () => tried && to(tried.number - 1),
    'draft.later_try': () => tried && to(tried.number + 1),
  })
  if (!tried || count < 2) return null
  return (
    <span className="flex items-center gap-1 text-xs text-soft">
      <button
        type="button"
        aria-label="the try before"
        className="px-1 hover:text-ink disabled:opacity-40"
        disabled={tried.number <= 1}
        onClick={() => to(tried.number - 1)}
      >
        ‹
      </button>
      <span role="status">
        try {tried.number} of {count}
      </span>
      <button
        type="button"
        aria-label="the try after"
        className="px-1 hover:text-ink disabled:opacity-40"
        disabled={tried.number >= count}
        onClick={() => to(tried.number + 1)}
      >
        ›
      </button>
      {tried.number > 1 && (
        <TextAction light aria-pressed={before} onClick={() => setBefore(!before)}>
          {before ? 'alone' : 'beside the one before'}
        </TextAction>
      )}
    </span>
  )
}

/** What a try was asked of, in a few words. */
function askedOf(tried: Tried): string {
  if (tried.rows.length > 0)
    return tried.rows.every((r) => r.case !== null)
      ? `${tried.rows.length} kept cases`
      : `${tried.rows.length} values`
  return tried.case === null ? 'what was typed' : `case ${tried.case}`
}

type WhatProps = {
  tried: Tried
  copy: WorkingCopy
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
}

/** Of which text and input the answers are, where they are not of what stands above. */
export function OfWhat({ tried, copy, change }: WhatProps) {
  const same =
    tried.step !== '' ||
    JSON.stringify(tried.messages.map((m) => [m.role, m.content])) ===
      JSON.stringify(toRows(copy).map((m) => [m.role, m.content]))
  const input = Object.values(tried.inputs).map(asText).filter(Boolean).join(' · ')
  const bring = () =>
    change((c) => ({
      ...c,
      messages: fromRows(tried.messages, c.messages),
      settings: tried.settings,
    }))
  return (
    <p className="mb-2 flex flex-wrap items-baseline gap-x-3 text-xs text-soft">
      <span dir="auto" className="max-w-full min-w-0 truncate">
        to {askedOf(tried)}
        {tried.step && `, step “${tried.step}” alone`}
        {input && `: ${input}`}
      </span>
      {!same && (
        <span>
          of another text
          {tried.version !== null &&
            ` (v${tried.version}${tried.changed ? ', changed' : ''})`}:{' '}
          <TextAction light onClick={bring}>
            bring it back
          </TextAction>
        </span>
      )}
    </p>
  )
}
