import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { sideBySideQuery } from '@/api/versions'
import { ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../../frame'

type Row = Schemas['SideRow']
type Cell = Schemas['SideCell']
type Props = {
  versions: number[]
  taking: boolean
  onTaking: (on: boolean) => void
  /** Only of two versions one can be brought into the other. */
  canTake: boolean
}

/** Two to four versions clause by clause, what differs from the first marked; direction in words. */
export function SideBySide({ versions, taking, onTaking, canTake }: Props) {
  const { brief } = useFrame()
  const [all, setAll] = useState(false)
  const found = useQuery(sideBySideQuery(brief.id, versions))
  if (found.isPending) return <Waiting what="the versions" />
  if (found.isError) return <ErrorLine>{inWords(found.error)}</ErrorLine>
  const { rows } = found.data
  const differing = rows.filter(differs)
  const shown = all || differing.length === 0 ? rows : differing
  return (
    <section aria-label="Side by side">
      <p className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-rule pb-2 text-sm text-soft">
        <span>
          {differing.length === 0
            ? `${versions.map((v) => `v${v}`).join(' and ')} say the same, clause by clause.`
            : `${plural(differing.length, 'clause')} of ${rows.length} ${differing.length === 1 ? 'differs' : 'differ'}. `}
          {differing.length > 0 && inShort(rows, versions)}
        </span>
        {differing.length > 0 && differing.length < rows.length && (
          <TextAction light onClick={() => setAll(!all)}>
            {all ? 'Only what differs' : 'Also what is the same'}
          </TextAction>
        )}
        {canTake && (
          <TextAction light aria-expanded={taking} onClick={() => onTaking(!taking)}>
            Bring some of v{versions[1]} into v{versions[0]}…
          </TextAction>
        )}
      </p>
      <table className="w-full table-fixed border-collapse text-left">
        <thead>
          <tr className="border-b border-rule-strong align-baseline">
            {versions.map((n, i) => (
              <Head key={n} number={n} settings={found.data.settings[i] ?? ''} />
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row, i) => (
            <tr key={i} className="border-b border-rule align-top">
              {row.cells.map((cell, k) => (
                <td key={k} className="py-1.5 pr-5">
                  <OneCell
                    cell={cell}
                    version={versions[k] ?? 0}
                    role={k === row.cells.findIndex(Boolean) ? roleOf(row) : ''}
                    first={versions[0] ?? 0}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

const differs = (row: Row) =>
  row.cells.some((c) => c === null || (c.kind !== 'first' && c.kind !== 'same'))

const roleOf = (row: Row) => [row.role, row.step && `step ${row.step}`].filter(Boolean).join(', ')

/** What each of the others does with the first one, in words: v6 adds 2, amends 1, leaves out 3. */
function inShort(rows: Row[], versions: number[]): string {
  return versions
    .slice(1)
    .map((n, i) => {
      const cells = rows.map((r) => r.cells[i + 1] ?? null)
      const many = (kind: Cell['kind']) => cells.filter((c) => c?.kind === kind).length
      const left = rows.filter((r) => r.cells[0] && !r.cells[i + 1]).length
      const parts = [
        many('added') > 0 && `adds ${many('added')}`,
        many('amended') > 0 && `amends ${many('amended')}`,
        many('moved') > 0 && `moves ${many('moved')}`,
        left > 0 && `leaves out ${left}`,
      ].filter(Boolean)
      return `v${n} ${parts.length > 0 ? parts.join(', ') : 'says the same'}`
    })
    .join('; ')
    .concat('.')
}

function Head({ number, settings }: { number: number; settings: string }) {
  const { brief } = useFrame()
  const v = brief.versions.find((o) => o.number === number)
  const root = v && v.parent === null && number !== brief.versions[0]?.number
  return (
    <th scope="col" className="py-1 pr-5 font-normal">
      <span className="font-serif text-base font-semibold">v{number}</span>{' '}
      <span className="text-xs text-soft">
        {[root && 'begun anew', v?.parent && `from v${v.parent}`, v?.note]
          .filter(Boolean)
          .join(', ')}
      </span>
      <span className="block text-xs text-soft">{settings}</span>
    </th>
  )
}

type CellProps = { cell: Cell | null; version: number; first: number; role: string }

function OneCell({ cell, version, first, role }: CellProps) {
  if (cell === null) return <p className="text-xs text-soft">v{version} does not say it</p>
  const told =
    cell.kind === 'added'
      ? `v${version} adds`
      : cell.kind === 'amended'
        ? `v${version} amends`
        : cell.kind === 'moved'
          ? `v${version} says it elsewhere`
          : cell.kind === 'same'
            ? `as v${first}`
            : ''
  return (
    <>
      <p className="text-xs text-soft">
        § {cell.clause.number}
        {role && `, ${role}`}
        {told && `: ${told}`}
      </p>
      <p
        dir="auto"
        className={`font-serif text-base break-words whitespace-pre-wrap ${cell.kind === 'same' ? 'text-soft' : ''} ${cell.kind === 'added' ? 'border-l-2 border-action bg-wash-action pl-2' : ''}`}
      >
        {cell.words.length > 0 ? <WordChanges words={cell.words} whole /> : cell.clause.text}
      </p>
    </>
  )
}
