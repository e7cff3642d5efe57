import { NavLink, Outlet, useLocation, useParams, useSearchParams } from 'react-router'
import { useBrief } from '@/api/briefs'
import { inWords } from '@/api/client'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { STAGES } from '@/parts/stages'
import { useTitle } from '@/parts/useTitle'
import type { Frame } from './frame'
import { Spine } from './Spine'

/** What every stage of a brief stands in: the strip on top, the spine on the left. */
export function BriefFrame() {
  const briefId = Number(useParams().briefId)
  const brief = useBrief(briefId)
  const [search, setSearch] = useSearchParams()
  const location = useLocation()
  // The address of every brief begins with the word of the first stage, too.
  const within = location.pathname.replace(/^\/briefs\/[^/]*/, '')
  const stage = STAGES.find((s) => within.startsWith(`/${s.stage}`))?.label ?? 'Draft'
  useTitle(brief.data ? `${brief.data.name}: ${stage}` : null)
  if (brief.isPending)
    return (
      <main className="px-6">
        <Waiting what="the brief" />
      </main>
    )
  // A server that is away for a while takes nothing off the screen.
  if (brief.isLoadingError) {
    return (
      <main className="max-w-2xl px-6 py-6">
        <ErrorLine>{inWords(brief.error)}</ErrorLine>
        <Empty title="This brief cannot be shown.">
          It may have been removed. The desk lists every brief there is.
        </Empty>
      </main>
    )
  }
  const asked = Number(search.get('v'))
  const numbers = brief.data.versions.map((v) => v.number)
  // Without a choice the newest one; what is archived is out of the way.
  const standing = brief.data.versions.filter((v) => !v.archived).map((v) => v.number)
  const inHand = numbers.includes(asked) ? asked : (standing.at(-1) ?? numbers.at(-1) ?? null)
  const setInHand = (n: number) => {
    search.set('v', String(n))
    setSearch(search)
  }
  const other = Number(search.get('beside'))
  const beside = numbers.includes(other) && other !== inHand ? other : null
  const frame: Frame = { brief: brief.data, inHand, setInHand, beside }
  const carried = new URLSearchParams()
  if (asked) carried.set('v', String(asked))
  if (beside !== null) carried.set('beside', String(beside))
  // While answers are read side by side, the lineage makes room.
  const reading = /^\/briefs\/\d+\/trials/.test(location.pathname) && search.has('case')
  const kept = carried.size ? `?${carried}` : ''
  return (
    <>
      <nav aria-label="Stages" className="flex h-13 shrink-0 border-b border-rule pl-[11rem]">
        {STAGES.map(({ stage, label }) => {
          const words = brief.data.stages.find((s) => s.stage === stage)?.words ?? ''
          const current =
            new RegExp(`^/briefs/\\d+/${stage}(/|$)`).test(location.pathname) ||
            (stage === 'draft' && /\/briefs\/\d+\/?$/.test(location.pathname))
          return (
            <NavLink
              key={stage}
              to={`/briefs/${briefId}/${stage}${kept}`}
              aria-current={current ? 'page' : undefined}
              className={`min-w-0 flex-1 border-r border-rule px-3.5 pt-1.5 first:border-l hover:bg-sheet ${
                current ? 'border-b-3 border-b-ink bg-sheet' : ''
              }`}
            >
              <span className="block font-serif text-base font-semibold">{label}</span>
              <span className="block truncate text-xs text-soft">{words}</span>
            </NavLink>
          )
        })}
      </nav>
      <div className="flex min-h-0 flex-1">
        <Spine frame={frame} folded={reading} />
        <main className="min-w-0 flex-1 overflow-y-auto" key={briefId}>
          <Outlet context={frame} />
        </main>
      </div>
    </>
  )
}
