import { useQuery } from '@tanstack/react-query'
import { inWords } from '@/api/client'
import { clauseHistoryQuery } from '@/api/versions'
import { ErrorLine, Waiting } from '@/parts/controls'
import { clock, score } from '@/parts/numbers'

type Props = { brief: number; version: number; clause: number; unsaved: boolean }

const WORDS = { add: 'brought in', amend: 'amended', move: 'moved' } as const

/** How a clause came to be: who brought it in, each change since, and what the score did then. */
export function ClauseStory({ brief, version, clause, unsaved }: Props) {
  const story = useQuery(clauseHistoryQuery(brief, version, clause))
  if (story.isPending) return <Waiting what="how it came to be" />
  if (story.isLoadingError) return <ErrorLine>{inWords(story.error)}</ErrorLine>
  return (
    <section className="mb-5">
      <h3 className="font-serif text-base font-semibold">
        v{version} § {clause}
      </h3>
      {unsaved && (
        <p className="text-xs text-soft">
          As saved in v{version}; what you have typed since stands in the margin.
        </p>
      )}
      <ol className="mt-2 border-l border-rule-strong pl-4">
        {[...story.data].reverse().map((e) => (
          <li key={e.version} className="mb-3">
            <p className="text-xs text-soft">
              <strong className="text-ink">
                v{e.version} § {e.number}
              </strong>{' '}
              {WORDS[e.kind]}, {clock(e.created_at)}, {e.created_by}
              {e.score !== null && e.score_before !== null && e.kind !== 'move' && (
                <span>
                  {' '}
                  · score of the version {score(e.score_before)} before, {score(e.score)} after
                </span>
              )}
            </p>
            {e.note && <p className="text-sm italic">{e.note}</p>}
            <p className="mt-0.5 font-serif text-base whitespace-pre-wrap">{e.after}</p>
            {e.before !== null && e.before !== e.after && (
              <p className="font-serif text-sm whitespace-pre-wrap text-soft">
                before: <s>{e.before}</s>
              </p>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}
