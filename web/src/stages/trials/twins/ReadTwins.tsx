import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords } from '@/api/client'
import { getTwinsQuery, leaveTwins, listTwinsQuery } from '@/api/twins'
import { useWrite } from '@/api/useWrite'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../../frame'
import { expectedOf, type TwinSet } from './useTwins'

const PAGE = 40

/** The twins before they are asked: each beside its case, left where it expects what it should not. */
export function ReadTwins({ set }: { set: TwinSet }) {
  const [open, setOpen] = useState(false)
  return (
    <details
      className="mt-1 text-sm"
      open={open}
      onToggle={(e) => setOpen((e.target as HTMLDetailsElement).open)}
    >
      <summary className="cursor-pointer text-action">Read them, and leave what is wrong</summary>
      {open && <Rows set={set} />}
    </details>
  )
}

function Rows({ set }: { set: TwinSet }) {
  const { brief } = useFrame()
  const [kind, setKind] = useState('')
  const [page, setPage] = useState(0)
  const rows = useQuery(getTwinsQuery(set.id, { ...(kind ? { kind } : {}), offset: page * PAGE }))
  const client = useQueryClient()
  const { write, pending, problem } = useWrite([listTwinsQuery(brief.id).queryKey])
  const put = (ids: number[], left: boolean) =>
    void write(async () => {
      await leaveTwins(set.id, ids, left)
      await client.invalidateQueries({ queryKey: ['twins', set.id] })
    })
  const shown = rows.data?.rows ?? []
  const n = rows.data?.n ?? 0
  return (
    <div className="mt-2 border-l-2 border-rule pl-3">
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-xs">
        <Choice
          label="Kind"
          hideLabel
          value={kind}
          onChange={(e) => [setKind(e.target.value), setPage(0)]}
        >
          <option value="">every kind</option>
          {set.kinds.map((k) => (
            <option key={k.kind} value={k.kind}>
              {k.what}
            </option>
          ))}
        </Choice>
        {shown.some((t) => !t.left) && (
          <TextAction
            disabled={pending}
            onClick={() =>
              put(
                shown.map((t) => t.id),
                true,
              )
            }
          >
            Leave these {count(shown.length)}
          </TextAction>
        )}
        <span className="ml-auto flex gap-3 text-soft">
          {plural(n, 'twin')}
          {page > 0 && <TextAction onClick={() => setPage(page - 1)}>those before</TextAction>}
          {(page + 1) * PAGE < n && (
            <TextAction onClick={() => setPage(page + 1)}>the next</TextAction>
          )}
        </span>
      </div>
      {rows.isPending && <Waiting what="the twins" />}
      {rows.isError && <ErrorLine>{inWords(rows.error)}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <ol>
        {shown.map((t) => (
          <li
            key={t.id}
            className={`flex items-baseline gap-4 border-b border-rule py-1.5 ${t.left ? 'border-l-2 border-l-rule-strong pl-3 text-soft' : ''}`}
          >
            <span className="min-w-0 flex-1 font-serif leading-snug break-words">
              <WordChanges words={t.words} />
              <span className="block font-sans text-xs text-soft">
                case {t.case}, {t.what}; expected: {expectedOf(t)}
              </span>
            </span>
            <TextAction
              light
              className="shrink-0 text-xs"
              disabled={pending}
              onClick={() => put([t.id], !t.left)}
            >
              {t.left ? 'left: take again' : 'leave'}
              <span className="sr-only">, twin {t.number}</span>
            </TextAction>
          </li>
        ))}
      </ol>
    </div>
  )
}
