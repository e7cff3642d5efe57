import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { keys, useRefreshBrief } from '@/api/queries'
import { Area, Button, Choice, Empty, ErrorLine, Field, Waiting } from '@/parts/controls'
import { Note } from '@/parts/Margin'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'
import { ImportCases } from './ImportCases'

type Dataset = Schemas['DatasetShape']
type Case = Schemas['CaseShape']

/** Cases: the rows a trial runs on, working and held out. */
export function CasesStage() {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState<number | null>(null)
  const dataset = brief.datasets.find((d) => d.id === chosen) ?? brief.datasets[0]
  if (!dataset) return <NoDataset />
  return <DatasetView key={dataset.id} dataset={dataset} choose={setChosen} />
}

function NoDataset() {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const [name, setName] = useState('')
  const [problem, setProblem] = useState<unknown>(null)
  const make = async () => {
    try {
      await dataOf(
        api.POST('/api/briefs/{brief_id}/datasets/', {
          params: { path: { brief_id: brief.id } }, body: { name },
        }),
      )
      refresh()
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <div className="max-w-xl px-6">
      <Empty title="No cases yet.">
        A case is one input with, where there is one, the reference answer. Name a dataset, then
        import a CSV or JSON Lines file.
      </Empty>
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          void make()
        }}
      >
        <Field label="Name of the dataset" className="flex-1" value={name} onChange={(e) => setName(e.target.value)} />
        <Button kind="main" type="submit">
          Open the dataset
        </Button>
      </form>
      {problem !== null && <div className="mt-3"><ErrorLine>{inWords(problem)}</ErrorLine></div>}
    </div>
  )
}

const PAGE = 200

function useCases(dataset: Dataset, split: string, words: string) {
  return useInfiniteQuery({
    queryKey: [...keys.cases(dataset.id, split, words), dataset.version],
    initialPageParam: 0,
    queryFn: ({ pageParam }) =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/cases/', {
          params: {
            path: { dataset_id: dataset.id },
            query: { split, q: words, offset: pageParam, limit: PAGE } as never,
          },
        }),
      ),
    getNextPageParam: (last) =>
      last.offset + last.cases.length < last.total ? last.offset + last.cases.length : undefined,
  })
}

function DatasetView({ dataset, choose }: { dataset: Dataset; choose: (id: number) => void }) {
  const { brief } = useFrame()
  const [split, setSplit] = useState('')
  const [words, setWords] = useState('')
  const [importing, setImporting] = useState(false)
  const [open, setOpen] = useState<Case | null>(null)
  const pages = useCases(dataset, split, words)
  const cases = pages.data?.pages.flatMap((p) => p.cases) ?? []
  const total = pages.data?.pages[0]?.total ?? 0
  return (
    <StageGrid margin={<CasesMargin dataset={dataset} cases={cases} />}>
      <div className="flex items-center gap-4">
        <h1 className="text-xl">{dataset.name}</h1>
        <span className="text-sm whitespace-nowrap text-soft">version {dataset.version}</span>
        {brief.datasets.length > 1 && (
          <Choice label="Dataset" hideLabel value={dataset.id} onChange={(e) => choose(Number(e.target.value))}>
            {brief.datasets.map((d) => (
              <option key={d.id} value={d.id}>{d.name}</option>
            ))}
          </Choice>
        )}
        <span className="ml-auto flex gap-2">
          <span className="flex items-center gap-2 text-sm text-soft">
            Export
            {['csv', 'xlsx', 'jsonl'].map((kind) => (
              <a key={kind} className="text-action underline underline-offset-2" href={`/api/datasets/${dataset.id}/export.${kind}`}>
                {kind === 'jsonl' ? 'JSON Lines' : kind.toUpperCase()}
              </a>
            ))}
          </span>
          <Button kind="main" onClick={() => setImporting(true)}>
            Import cases…
          </Button>
        </span>
      </div>
      <div className="mt-3 flex items-end gap-4 border-b border-rule pb-3">
        <Choice label="Part" className="w-44" value={split} onChange={(e) => setSplit(e.target.value)}>
          <option value="">all {count(dataset.working + dataset.held_out)}</option>
          <option value="working">working, {count(dataset.working)}</option>
          <option value="held-out">held out, {count(dataset.held_out)}</option>
        </Choice>
        <Field label="Find in cases" className="w-64" value={words} onChange={(e) => setWords(e.target.value)} />
        <span className="pb-1.5 text-sm text-soft">{pages.data ? plural(total, 'case') : ''}</span>
      </div>
      {pages.isError && <ErrorLine>{inWords(pages.error)}</ErrorLine>}
      {pages.isPending && <Waiting what="the cases" />}
      {pages.data && cases.length === 0 && (
        <Empty title={words || split ? 'No case fits that.' : 'This dataset is empty.'}>
          {words || split ? 'Try other words or another part.' : 'Import a CSV or JSON Lines file to fill it.'}
        </Empty>
      )}
      {cases.length > 0 && (
        <Grid
          cases={cases}
          columns={dataset.columns}
          more={pages.hasNextPage ? () => void pages.fetchNextPage() : null}
          onOpen={setOpen}
        />
      )}
      <Overlay open={importing} onOpenChange={setImporting} title="Import cases">
        <ImportCases dataset={dataset} />
      </Overlay>
      <Overlay open={open !== null} onOpenChange={(o) => !o && setOpen(null)} title={`Case ${open?.number ?? ''}`} side>
        {open && <CaseView case_={open} dataset={dataset} onMoved={() => setOpen(null)} />}
      </Overlay>
    </StageGrid>
  )
}

function Grid({
  cases, columns, more, onOpen,
}: {
  cases: Case[]
  columns: string[]
  more: (() => void) | null
  onOpen: (c: Case) => void
}) {
  const scroller = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({
    count: cases.length, getScrollElement: () => scroller.current, estimateSize: () => 46, overscan: 12,
  })
  const items = rows.getVirtualItems()
  const last = items.at(-1)?.index ?? 0
  useEffect(() => {
    if (more && last > cases.length - 30) more()
  }, [more, last, cases.length])
  const template = `3.2rem repeat(${Math.max(1, columns.length)}, minmax(0, 2fr)) minmax(0, 1.5fr) 5.5rem 8rem`
  return (
    <div role="table" aria-label="Cases" aria-rowcount={cases.length}>
      <div role="row" className="grid gap-3 border-b border-rule-strong py-1.5 text-xs font-semibold text-soft" style={{ gridTemplateColumns: template }}>
        <span role="columnheader">No.</span>
        {columns.map((c) => (
          <span role="columnheader" key={c} className="truncate">{c}</span>
        ))}
        <span role="columnheader">Reference</span>
        <span role="columnheader">Part</span>
        <span role="columnheader">Tags</span>
      </div>
      {/* A scrolling region must be reachable by keyboard. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div ref={scroller} tabIndex={0} role="rowgroup" aria-label="Rows" className="h-[calc(100dvh-17.2rem)] overflow-y-auto">
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {items.map((item) => {
            const c = cases[item.index]
            if (!c) return null
            return (
              <div
                key={c.revision}
                role="row"
                className="absolute inset-x-0 grid items-center gap-3 border-b border-rule text-sm hover:bg-sheet"
                style={{ gridTemplateColumns: template, height: item.size, transform: `translateY(${item.start}px)` }}
              >
                <span role="cell">
                  <button type="button" className="font-mono text-xs text-action underline underline-offset-2" onClick={() => onOpen(c)} aria-label={`Open case ${c.number}`}>
                    {c.number}
                  </button>
                </span>
                {columns.map((name) => (
                  <span role="cell" key={name} className="line-clamp-2 break-words">{asText(c.inputs[name])}</span>
                ))}
                <span role="cell" className="line-clamp-2 font-mono text-2xs break-words text-soft">{c.reference ?? '–'}</span>
                <span role="cell">
                  {c.split === 'held-out' ? (
                    <span className="rounded-sm border border-attention px-1 text-2xs whitespace-nowrap text-attention-text">held out</span>
                  ) : (
                    <span className="text-xs text-soft">working</span>
                  )}
                </span>
                <span role="cell" className="truncate text-xs text-soft">{c.tags.join(', ')}</span>
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
}

function asText(value: unknown): string {
  if (value === null || value === undefined) return ''
  return typeof value === 'string' ? value : JSON.stringify(value)
}

function CaseView({ case_, dataset, onMoved }: { case_: Case; dataset: Dataset; onMoved: () => void }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [problem, setProblem] = useState<unknown>(null)
  const [editing, setEditing] = useState(false)
  const other = case_.split === 'working' ? 'held-out' : 'working'
  const move = async () => {
    try {
      await dataOf(
        api.POST('/api/datasets/{dataset_id}/move/', {
          params: { path: { dataset_id: dataset.id } },
          body: { revisions: [case_.revision], split: other },
        }),
      )
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
      onMoved()
    } catch (error) {
      setProblem(error)
    }
  }
  if (editing) return <EditCase case_={case_} dataset={dataset} onDone={(made) => (made ? onMoved() : setEditing(false))} />
  return (
    <div className="grid gap-5">
      {Object.entries(case_.inputs).map(([name, value]) => (
        <section key={name}>
          <p className="text-xs text-soft">{name}</p>
          <p className="font-serif text-lg whitespace-pre-wrap break-words">{asText(value) || '(empty)'}</p>
        </section>
      ))}
      <section>
        <p className="text-xs text-soft">reference</p>
        <pre className="font-mono text-sm whitespace-pre-wrap break-words">{case_.reference ?? 'none'}</pre>
      </section>
      <p className="text-sm text-soft">
        {case_.split === 'held-out' ? 'Held out' : 'Working'}
        {case_.tags.length > 0 && `, tags ${case_.tags.join(', ')}`}
      </p>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex gap-2">
        <Button onClick={() => setEditing(true)}>Change it…</Button>
        <Button onClick={() => void move()}>{other === 'held-out' ? 'Hold this case out' : 'Make it a working case'}</Button>
      </div>
    </div>
  )
}

/** A case's words, reference and tags; trials keep what they ran on. */
function EditCase({ case_, dataset, onDone }: { case_: Case; dataset: Dataset; onDone: (made: Case | null) => void }) {
  const { brief } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const names = [...new Set([...dataset.columns, ...Object.keys(case_.inputs)])]
  const [values, setValues] = useState<Record<string, string>>(Object.fromEntries(names.map((n) => [n, asText(case_.inputs[n])])))
  const [reference, setReference] = useState(case_.reference ?? '')
  const [tags, setTags] = useState(case_.tags.join(', '))
  const [problem, setProblem] = useState<unknown>(null)
  const save = async () => {
    setProblem(null)
    // A value that was no text stays what it was, unless it is typed over.
    const inputs = Object.fromEntries(names.map((n) => [n, asText(case_.inputs[n]) === values[n] ? (case_.inputs[n] ?? values[n]) : values[n]]))
    try {
      const made = await dataOf(
        api.POST('/api/datasets/{dataset_id}/edit/', {
          params: { path: { dataset_id: dataset.id } },
          body: { revision: case_.revision, inputs, reference: reference === '' ? null : reference, tags: tags.split(',') },
        }),
      )
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases', dataset.id] })
      void cache.invalidateQueries({ queryKey: ['case-at'] })
      onDone(made)
    } catch (error) {
      setProblem(error)
    }
  }
  return (
    <form className="grid gap-3" onSubmit={(e) => {
      e.preventDefault()
      void save()
    }}>
      {names.map((n) => (
        <Area key={n} label={n} rows={Math.min(10, Math.max(2, Math.ceil((values[n] ?? '').length / 70)))} className="[&_textarea]:font-serif [&_textarea]:text-base" value={values[n] ?? ''} onChange={(e) => setValues({ ...values, [n]: e.target.value })} />
      ))}
      <Area label="Reference; empty for none" rows={3} className="[&_textarea]:font-mono" value={reference} onChange={(e) => setReference(e.target.value)} />
      <Field label="Tags, parted by commas" value={tags} onChange={(e) => setTags(e.target.value)} />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="text-sm text-soft">It becomes a new version of the dataset. Trials that ran keep the case as it was.</p>
      <div className="flex gap-2">
        <Button kind="main" type="submit">Save the case</Button>
        <Button kind="quiet" onClick={() => onDone(null)}>Leave it as it was</Button>
      </div>
    </form>
  )
}

/** What the set as a whole is like: copies, leaks, labels, lengths. */
function Quality({ dataset }: { dataset: Dataset }) {
  const found = useQuery({
    queryKey: ['quality', dataset.version_id],
    queryFn: () => dataOf(api.GET('/api/datasets/{dataset_id}/quality/', { params: { path: { dataset_id: dataset.id } } })),
    enabled: dataset.working + dataset.held_out > 0,
    staleTime: Infinity,
    retry: false,
  })
  const q = found.data
  if (!q) return null
  const pairs = (rows: Schemas['NearPairShape'][], n: number) =>
    `${rows.slice(0, 5).map((p) => `${p.a} and ${p.b}`).join('; ')}${n > 5 ? `; ${n - 5} more` : ''}`
  const labels = Object.entries(q.labels ?? {})
  const most = Math.max(1, ...labels.map(([, n]) => n))
  return (
    <>
      {q.n_leaks > 0 && (
        <Note tone="harm" title={`${plural(q.n_leaks, 'near-copy', 'near-copies')} on both sides`}>
          A held-out case that is nearly a working one proves nothing: cases {pairs(q.leaks, q.n_leaks)}.
        </Note>
      )}
      {q.n_duplicates > q.n_leaks && (
        <Note tone="attention" title={`${plural(q.n_duplicates - q.n_leaks, 'near-copy', 'near-copies')} among the cases`}>
          They count double: cases {pairs(q.duplicates, q.n_duplicates)}.
        </Note>
      )}
      {labels.length > 0 && (
        <Note title={`${labels.length} labels`}>
          {labels.slice(0, 12).map(([label, n]) => (
            <span key={label} className="grid grid-cols-[minmax(0,1fr)_3rem_2rem] items-center gap-1 font-sans text-xs">
              <span className="truncate" title={label}>{label}</span>
              <span className="h-1.5 bg-rule"><span className="block h-full bg-ink" style={{ width: `${(n / most) * 100}%` }} /></span>
              <span className="text-right font-mono">{n}</span>
            </span>
          ))}
        </Note>
      )}
      {q.empty.length > 0 && <Note tone="attention" title={`${plural(q.empty.length, 'case')} with no words`}>Cases {q.empty.slice(0, 8).join(', ')}.</Note>}
      {q.outliers.length > 0 && (
        <Note title={`${plural(q.outliers.length, 'case')} far longer than the rest`}>Cases {q.outliers.slice(0, 8).join(', ')}.</Note>
      )}
      {q.smallest_difference !== null && (
        <Note title="What they can show">
          {count(dataset.working)} working cases show a difference of about {q.smallest_difference.toFixed(2)} or more four times in five,
          if a quarter of them change between wrong and right.
        </Note>
      )}
    </>
  )
}

function CasesMargin({ dataset, cases }: { dataset: Dataset; cases: Case[] }) {
  const without = cases.filter((c) => c.reference === null).length
  const share = dataset.held_out / Math.max(1, dataset.working + dataset.held_out)
  const { brief } = useFrame()
  return (
    <div className="grid gap-4">
      <Note tone="inform" title={`${count(dataset.working)} working, ${count(dataset.held_out)} held out`}>
        Working cases are for tuning. Held-out cases are looked at once, to see whether the gain
        is real.
      </Note>
      {dataset.held_out === 0 && dataset.working > 0 && (
        <Note tone="attention" title="Nothing is held out">
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
          Measures that compare with a reference cannot score them.
        </Note>
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
