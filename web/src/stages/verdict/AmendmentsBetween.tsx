import { useState } from 'react'
import { inWords } from '@/api/client'
import { useChanges } from '@/api/versions'
import { ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { WordChanges } from '@/parts/WordChanges'
import { short } from '../draft/notes'

const NAMES = {
  add: 'added',
  amend: 'amended',
  strike: 'struck',
  move: 'moved',
  layout: 'layout',
} as const
const FEW = 4

/** What changed from one version to the other, beside the cases that changed with it. */
export function AmendmentsBetween({
  brief,
  from,
  to,
}: {
  brief: number
  from: number
  to: number
}) {
  const changes = useChanges(brief, to, from)
  const [all, setAll] = useState(false)
  if (from === to) return null
  if (changes.isLoadingError) return <ErrorLine>{inWords(changes.error)}</ErrorLine>
  const rows = changes.data?.amendments ?? []
  if (rows.length === 0) return null
  return (
    <div className="mt-1 mb-2 border-l-2 border-inform pl-3 text-sm">
      <p className="text-xs font-semibold text-inform">
        {plural(rows.length, 'amendment')} between v{from} and v{to}
      </p>
      <ul>
        {(all ? rows : rows.slice(0, FEW)).map((a) => (
          <li key={a.id} className="mt-0.5">
            <span className="text-xs text-soft">
              {a.after
                ? `v${to} § ${a.after.number}`
                : a.before
                  ? `v${from} § ${a.before.number}`
                  : ''}{' '}
              {NAMES[a.kind]}
            </span>{' '}
            <span className="font-serif">
              {a.kind === 'amend' || (a.kind === 'move' && a.before?.text !== a.after?.text) ? (
                <WordChanges words={a.words} />
              ) : a.kind === 'strike' ? (
                <s className="text-soft">{short(a.before?.text ?? '', 200)}</s>
              ) : a.kind === 'layout' ? (
                a.detail
              ) : (
                short(a.after?.text ?? '', 200)
              )}
            </span>
          </li>
        ))}
      </ul>
      {rows.length > FEW && (
        <TextAction light className="text-xs" onClick={() => setAll(!all)}>
          {all ? 'Fewer' : `All ${rows.length}`}
        </TextAction>
      )}
    </div>
  )
}
