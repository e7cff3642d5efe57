import { lazy, Suspense, useState } from 'react'
import type { Schemas } from '@/api/client'
import { ScoreBar } from '@/parts/ScoreBar'
import { TextAction } from '@/parts/controls'
import type { Frame } from './frame'
import { Word } from '@/parts/Word'

const LineageSheet = lazy(async () => ({
  default: (await import('./LineageSheet')).LineageSheet,
}))

type Version = Schemas['VersionFacts']

const ROW = 62
const LANE = 15

/** The version tree drawn downward from the newest, with each version's score. */
export function Spine({ frame, folded = false }: { frame: Frame; folded?: boolean }) {
  const { brief, inHand, setInHand, beside } = frame
  const [sheet, setSheet] = useState(false)
  const [unfolded, setUnfolded] = useState(false)
  const shown = rehung(
    unfolded ? brief.versions : onSpine(brief.versions, inHand, beside),
    brief.versions,
  )
  const away = brief.versions.length - shown.length
  const rows = [...shown].reverse()
  const lanes = lanesOf(shown)
  const widest = Math.max(0, ...lanes.values())
  const left = 22
  const x = (v: Version) => left + (lanes.get(v.number) ?? 0) * LANE
  const y = (i: number) => 16 + i * ROW
  const place = new Map(rows.map((v, i) => [v.number, { v, i }]))
  if (folded) return <FoldedSpine frame={frame} rows={rows} />
  return (
    <aside
      aria-label="Lineage"
      className="flex w-[11rem] shrink-0 flex-col overflow-y-auto border-r border-rule"
    >
      <div className="px-5 pt-3 pb-2">
        <p className="flex items-baseline justify-between text-xs">
          <span className="font-semibold text-soft">
            <Word of="lineage">Lineage</Word>
          </span>
          {brief.versions.length > 0 && (
            <TextAction light onClick={() => setSheet(true)}>
              notes, tags…
            </TextAction>
          )}
        </p>
        <p className="text-2xs text-soft">
          {brief.basis
            ? `on ${brief.basis.model_short}, ${brief.basis.settings}, scorecard ${brief.basis.scorecard}, cases ${brief.basis.dataset_version}`
            : 'not measured'}
        </p>
      </div>
      <div className="relative shrink-0" style={{ height: rows.length * ROW + 12 }}>
        <svg
          className="absolute inset-0"
          width="176"
          height={rows.length * ROW + 12}
          aria-hidden="true"
        >
          {rows.map((v, i) => {
            const parent = v.parent === null ? undefined : place.get(v.parent)
            if (!parent) return null
            const [x1, y1, x2, y2] = [x(v), y(i), x(parent.v), y(parent.i)]
            return (
              <path
                key={v.number}
                d={
                  x1 === x2
                    ? `M${x1} ${y1}V${y2}`
                    : `M${x1} ${y1}V${y2 - 34}C${x1} ${y2 - 16} ${x2} ${y2 - 18} ${x2} ${y2}`
                }
                className="fill-none stroke-rule-strong"
                strokeWidth="1.4"
              />
            )
          })}
          {rows.map((v, i) => {
            const second = v.second_parent === null ? undefined : place.get(v.second_parent)
            if (!second) return null
            const [x1, y1, x2, y2] = [x(v), y(i), x(second.v), y(second.i)]
            // What was merged in comes from the side, dotted.
            return (
              <path
                key={`m${v.number}`}
                d={
                  x1 === x2
                    ? `M${x1} ${y1}C${x1 - 12} ${y1 + 20} ${x1 - 12} ${y2 - 20} ${x1} ${y2}`
                    : `M${x1} ${y1}C${x1} ${y1 + 30} ${x2} ${y1 + 20} ${x2} ${y2}`
                }
                className="fill-none stroke-ink"
                strokeWidth="1.2"
                strokeDasharray="2 3"
              />
            )
          })}
          {rows.map((v, i) => (
            <g key={v.number}>
              <circle
                cx={x(v)}
                cy={y(i)}
                r="5.5"
                strokeWidth="1.5"
                className={`stroke-ink ${v.number === inHand ? 'fill-ink' : 'fill-paper'}`}
              />
              {v.adopted && (
                <circle
                  cx={x(v)}
                  cy={y(i)}
                  r="2.5"
                  className={v.number === inHand ? 'fill-paper' : 'fill-action'}
                />
              )}
            </g>
          ))}
        </svg>
        <ol>
          {rows.map((v, i) => (
            <li key={v.number} className="absolute right-0" style={{ top: y(i) - 12, left: 0 }}>
              <button
                type="button"
                aria-current={v.number === inHand ? 'true' : undefined}
                onClick={() => setInHand(v.number)}
                style={{ paddingLeft: left + widest * LANE + 14 }}
                className="block w-full py-0.5 pr-2 text-left hover:bg-sheet"
              >
                <span className="flex items-center gap-2">
                  <span className="min-w-5 text-sm font-semibold">v{v.number}</span>
                  {v.score ? (
                    <ScoreBar mean={v.score.mean} width={40} />
                  ) : (
                    <span className="text-2xs text-soft">not measured</span>
                  )}
                </span>
                <span className="line-clamp-2 text-2xs text-soft">
                  {wordsOf(v, inHand, beside)}
                </span>
              </button>
            </li>
          ))}
        </ol>
      </div>
      {(away > 0 || unfolded) && (
        <p className="px-5 pb-3 text-2xs text-soft">
          {unfolded ? 'All shown. ' : `${away} archived or untried folded away. `}
          <TextAction light onClick={() => setUnfolded(!unfolded)}>
            {unfolded ? 'Fold' : 'Show all'}
          </TextAction>
        </p>
      )}
      {sheet && (
        <Suspense fallback={null}>
          <LineageSheet frame={frame} open={sheet} onOpenChange={setSheet} />
        </Suspense>
      )}
      {rows.length === 0 && (
        <p className="px-5 text-xs text-soft">The first version you save will stand here.</p>
      )}
    </aside>
  )
}

/** Circle and number alone, while something else needs the room. */
function FoldedSpine({ frame, rows }: { frame: Frame; rows: Version[] }) {
  return (
    <aside
      aria-label="Lineage"
      className="flex w-13 shrink-0 flex-col items-center gap-3 overflow-y-auto border-r border-rule py-4 max-[760px]:hidden"
    >
      {rows.map((v) => (
        <button
          key={v.number}
          type="button"
          aria-current={v.number === frame.inHand ? 'true' : undefined}
          title={wordsOf(v, frame.inHand, frame.beside)}
          onClick={() => frame.setInHand(v.number)}
          className="grid justify-items-center gap-0.5 text-2xs font-semibold"
        >
          <span
            className={`block size-3 rounded-full border-[1.5px] border-ink ${v.number === frame.inHand ? 'bg-ink' : v.adopted ? 'bg-action' : 'bg-paper'}`}
          />
          v{v.number}
        </button>
      ))}
    </aside>
  )
}

const FULL = 14

/** Archived versions are folded away; where the spine is full, those never tried are too. */
export function onSpine(
  versions: Version[],
  inHand: number | null,
  beside: number | null,
): Version[] {
  const wanted = (v: Version) => v.number === inHand || v.number === beside || v.adopted
  const there = versions.filter((v) => !v.archived || wanted(v))
  if (there.length <= FULL) return there
  const newest = new Set(there.slice(-4).map((v) => v.number))
  return there.filter((v) => v.score !== null || wanted(v) || newest.has(v.number))
}

/** Versions whose parent is folded away hang from the nearest ancestor that is shown. */
function rehung(shown: Version[], all: Version[]): Version[] {
  const there = new Set(shown.map((v) => v.number))
  const parents = new Map(all.map((v) => [v.number, v.parent]))
  return shown.map((v) => {
    let parent = v.parent
    while (parent !== null && !there.has(parent)) parent = parents.get(parent) ?? null
    return parent === v.parent ? v : { ...v, parent }
  })
}

function wordsOf(v: Version, inHand: number | null, beside: number | null): string {
  const parts = [
    v.number === inHand ? 'in hand' : v.number === beside ? 'beside' : '',
    v.adopted ? 'adopted' : '',
    v.archived ? 'archived' : '',
    v.second_parent ? `with v${v.second_parent}` : '',
    v.note,
    ...v.tags.map((t) => `#${t}`),
  ]
  return parts.filter(Boolean).join(' · ')
}

/** A lane for every version: a first child stays in its parent's lane, later ones branch off. */
function lanesOf(versions: Version[]): Map<number, number> {
  const lanes = new Map<number, number>()
  const newestChild = new Map<number, number>()
  versions.forEach((v) => {
    if (v.parent !== null) newestChild.set(v.parent, v.number)
  })
  const ordered = [...versions].reverse()
  // The line from the newest version back to the root is the main one.
  const main = new Set<number>()
  let at: Version | undefined = ordered[0]
  while (at) {
    main.add(at.number)
    const parent: number | null = at.parent
    at = versions.find((v) => v.number === parent)
  }
  versions.forEach((v) => {
    if (main.has(v.number)) lanes.set(v.number, 0)
    else {
      const parentLane = v.parent === null ? 0 : (lanes.get(v.parent) ?? 0)
      const keeps = parentLane > 0 && newestChild.get(v.parent ?? 0) === v.number
      lanes.set(v.number, keeps ? parentLane : parentLane + 1)
    }
  })
  return lanes
}
