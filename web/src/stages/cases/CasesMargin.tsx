import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '@/api/client'
import { caseQualityQuery, casesQuery } from '@/api/datasets'
import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../frame'
import { Word } from '@/parts/Word'

type Dataset = Schemas['DatasetShape']

const NO_REFERENCE = JSON.stringify([{ column: '#reference', test: 'empty', value: '' }])

/** What there is to say about the cases, beside them. */
export function CasesMargin({ dataset }: { dataset: Dataset }) {
  // Of all cases, not of those that the grid has read.
  const unanswered = useQuery(casesQuery(dataset.id, { where: NO_REFERENCE, limit: 1 }))
  const without = unanswered.data?.total ?? 0
  const share = dataset.held_out / Math.max(1, dataset.working + dataset.held_out)
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      <Note
        tone="inform"
        title={`${count(dataset.working)} working, ${count(dataset.held_out)} held out`}
      >
        Working cases are for tuning. Held-out cases are looked at once, to see whether the gain is
        real.
      </Note>
      {dataset.held_out === 0 && dataset.working > 0 && (
        <Note
          tone="attention"
          title={
            <>
              Nothing is <Word of="held out" />
            </>
          }
        >
          A version tuned on every case cannot be checked on a new one. Open some cases and hold
          them out before you tune on them.
        </Note>
      )}
      {share > 0.6 && (
        <Note tone="attention" title="More held out than working">
          Few cases are left to tune on.
        </Note>
      )}
      {without > 0 && (
        <Note tone="attention" title={`${plural(without, 'case')} without a reference`}>
          Measures that compare with a reference cannot score them.{' '}
          <Link
            className="font-sans text-xs font-semibold text-action underline"
            to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&references=`}
          >
            Write them
          </Link>
        </Note>
      )}
      {dataset.working + dataset.held_out > 0 && (
        <p className="text-sm">
          <Link
            className="font-semibold text-action underline underline-offset-2"
            to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&missing=`}
          >
            What is there, and what is thin
          </Link>
        </p>
      )}
      <Quality dataset={dataset} />
      {brief.versions.length > 0 && dataset.columns.length > 0 && (
        <Note title={plural(dataset.columns.length, 'input')}>
          {dataset.columns.map((c) => `{{${c}}}`).join(', ')} can stand in the prompt.
        </Note>
      )}
    </div>
  )
}

/** How often each tag occurs: gaps are where a slice will be too small to tell anything. */
function TagCounts({ tags, of }: { tags: Record<string, number>; of: number }) {
  const rows = Object.entries(tags)
  const most = Math.max(1, ...rows.map(([, n]) => n))
  const few = rows.filter(([, n]) => n < 10).map(([tag]) => tag)
  return (
    <Note title={`${plural(rows.length, 'tag')} on ${plural(of, 'case')}`}>
      {rows.slice(0, 10).map(([tag, n]) => (
        <span
          key={tag}
          className="grid grid-cols-[minmax(0,1fr)_3rem_2rem] items-center gap-1 font-sans text-xs"
        >
          <span className="truncate" title={tag}>
            {tag}
          </span>
          <span className="h-1.5 bg-rule">
            <span className="block h-full bg-ink" style={{ width: `${(n / most) * 100}%` }} />
          </span>
          <span className="text-right font-mono">{n}</span>
        </span>
      ))}
      {rows.length > 10 && <span className="block text-xs">and {rows.length - 10} rarer ones</span>}
      {few.length > 0 && (
        <span className="mt-1 block">
          Fewer than 10 cases: {few.slice(0, 6).join(', ')}
          {few.length > 6 ? ` and ${few.length - 6} more` : ''}. A slice of them tells nothing yet.
        </span>
      )}
    </Note>
  )
}

/** What the set as a whole is like: copies, leaks, labels, lengths. */
function Quality({ dataset }: { dataset: Dataset }) {
  const { brief } = useFrame()
  const [near, setNear] = useState(false)
  const found = useQuery({
    ...caseQualityQuery(dataset.id, { near: near ? 'true' : 'false' }, [
      dataset.version_id,
      dataset.changed,
    ]),
    placeholderData: (former) => former,
    enabled: dataset.working + dataset.held_out > 0,
    staleTime: Infinity,
    retry: false,
  })
  const q = found.data
  if (!q) return null
  const pairs = (rows: Schemas['NearPairShape'][], n: number) =>
    `${rows
      .slice(0, 5)
      .map((p) => `${p.a} and ${p.b}`)
      .join('; ')}${n > 5 ? `; ${n - 5} more` : ''}`
  const labels = Object.entries(q.labels ?? {})
  const most = Math.max(1, ...labels.map(([, n]) => n))
  return (
    <>
      {!q.near && (
        <Note title="Near-copies not looked for yet">
          Among so many cases that takes a while.{' '}
          {found.isFetching && near ? (
            'Looking…'
          ) : (
            <TextAction onClick={() => setNear(true)}>Look for them</TextAction>
          )}
        </Note>
      )}
      {q.n_duplicates > 0 && (
        <Note
          tone={q.n_leaks > 0 ? 'harm' : q.n_groups > 0 ? 'attention' : 'plain'}
          title={
            q.n_leaks > 0
              ? `${plural(q.n_leaks, 'near-copy', 'near-copies')} on both sides`
              : `${plural(q.n_duplicates, 'near-copy', 'near-copies')} among the cases`
          }
        >
          {q.n_leaks > 0
            ? 'A held-out case that is nearly a working one proves nothing: cases '
            : q.n_groups > 0
              ? 'They count double: cases '
              : 'Each group has one source and counts as one: cases '}
          {q.n_leaks > 0 ? pairs(q.leaks, q.n_leaks) : pairs(q.duplicates, q.n_duplicates)}.{' '}
          <Link
            className="font-sans text-xs font-semibold text-action underline"
            to={`/briefs/${brief.id}/cases?dataset=${dataset.id}&copies=`}
          >
            Look at the groups
          </Link>
        </Note>
      )}
      {labels.length > 0 && (
        <Note title={`${labels.length} labels`}>
          {labels.slice(0, 12).map(([label, n]) => (
            <span
              key={label}
              className="grid grid-cols-[minmax(0,1fr)_3rem_2rem] items-center gap-1 font-sans text-xs"
            >
              <span className="truncate" title={label}>
                {label}
              </span>
              <span className="h-1.5 bg-rule">
                <span className="block h-full bg-ink" style={{ width: `${(n / most) * 100}%` }} />
              </span>
              <span className="text-right font-mono">{n}</span>
            </span>
          ))}
        </Note>
      )}
      {Object.keys(q.tags).length > 0 && (
        <TagCounts tags={q.tags} of={dataset.working + dataset.held_out} />
      )}
      {q.lengths.length > 0 && (
        <Note title="Lengths, in characters">
          {q.lengths.slice(0, 6).map((l) => (
            <span key={l.column} className="block font-sans text-xs">
              {l.column}{' '}
              <span className="font-mono">
                {count(l.least)} – {count(l.greatest)}
              </span>
              , half up to <span className="font-mono">{count(Math.round(l.median))}</span>
              {l.empty > 0 && `, ${l.empty} empty`}
            </span>
          ))}
        </Note>
      )}
      {q.empty.length > 0 && (
        <Note tone="attention" title={`${plural(q.empty.length, 'case')} with no words`}>
          Cases {q.empty.slice(0, 8).join(', ')}.
        </Note>
      )}
      {q.outliers.length > 0 && (
        <Note title={`${plural(q.outliers.length, 'case')} far longer than the rest`}>
          Cases {q.outliers.slice(0, 8).join(', ')}.
        </Note>
      )}
      {q.smallest_difference !== null && (
        <Note title="What they can show">
          {count(dataset.working)} working cases show a difference of about{' '}
          {q.smallest_difference.toFixed(2)} or more four times in five, if a quarter of them change
          between wrong and right.
        </Note>
      )}
    </>
  )
}
