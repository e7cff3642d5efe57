import { useInfiniteQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import { api, dataOf, inWords, type Schemas } from '@/api/client'
import { keys, useRefreshBrief } from '@/api/queries'
import { Button, Choice, Empty, ErrorLine, Field, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { useFrame } from '../BriefFrame'
import { StageGrid } from '../StageGrid'
import { asText } from './asText'
import { CasesMargin } from './CasesMargin'
import { CaseView } from './CaseView'
import { ImportCases } from './ImportCases'
import { SplitForm } from './SplitForm'

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
  const [splitting, setSplitting] = useState(false)
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
          <Button onClick={() => setSplitting(true)}>Hold out at random…</Button>
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
      <Overlay open={splitting} onOpenChange={setSplitting} title="Hold cases out at random">
        {splitting && <SplitForm dataset={dataset} onDone={() => setSplitting(false)} />}
      </Overlay>
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
