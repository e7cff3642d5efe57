import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { type Schemas, inWords, Problem } from '@/api/client'
import { ledger, useDesk } from '@/api/desk'
import { Button, Choice, Empty, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { costInWords } from '@/parts/numbers'
import { linkOf } from './links'
import { Spending } from './Spending'
import { lineInWords } from './words'

const PAGE = 100
// A person who types is not asked for after every letter.
const PAUSE_MS = 300
const FIELDS = ['words', 'what', 'who', 'brief', 'model', 'setting', 'since', 'until'] as const
type Filters = Record<(typeof FIELDS)[number], string>

/** Everything that happened, newest first; what it is narrowed by is part of the address. */
export function LedgerPage() {
  const [search, setSearch] = useSearchParams()
  const filters = Object.fromEntries(FIELDS.map((f) => [f, search.get(f) ?? ''])) as Filters
  const wanted = usePaused(filters)
  const found = useInfiniteQuery({
    queryKey: ['ledger', 'lines', wanted],
    queryFn: ({ pageParam }) =>
      ledger({ ...asked(wanted), ...(pageParam ? { before: pageParam } : {}), limit: PAGE }),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.more ? last.lines.at(-1)?.id : undefined),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const set = (field: keyof Filters, value: string) =>
    setSearch(
      (now) => {
        if (value) now.set(field, value)
        else now.delete(field)
        return now
      },
      { replace: true },
    )
  const first = found.data?.pages[0]
  const lines = found.data?.pages.flatMap((p) => p.lines) ?? []
  const narrowed = FIELDS.some((f) => filters[f])
  const wrong = (field: string) =>
    found.error instanceof Problem && found.error.field === field ? inWords(found.error) : null
  const placed = FIELDS.some((f) => wrong(f))
  return (
    <main className="mx-auto w-full max-w-[1160px] flex-1 overflow-y-auto px-6 py-6">
      <h1 className="border-b-2 border-ink pb-3 text-2xl">Ledger</h1>
      <Spending />
      <search className="grid grid-cols-[1.4fr_1fr_1fr_1.2fr_1.2fr_1.2fr_1fr_1fr] items-start gap-x-3 border-b border-rule-strong py-3">
        <Field label="Words" value={filters.words} onChange={(e) => set('words', e.target.value)} />
        <Choice label="What" value={filters.what} onChange={(e) => set('what', e.target.value)}>
          <option value="">everything</option>
          {first?.kinds.map((k) => (
            <option key={k}>{k}</option>
          ))}
        </Choice>
        <Choice label="Who" value={filters.who} onChange={(e) => set('who', e.target.value)}>
          <option value="">everybody</option>
          {first?.people.map((p) => (
            <option key={p}>{p}</option>
          ))}
        </Choice>
        <BriefChoice value={filters.brief} onChange={(v) => set('brief', v)} />
        <Choice label="Model" value={filters.model} onChange={(e) => set('model', e.target.value)}>
          <option value="">any</option>
          {first?.models.map((m) => (
            <option key={m}>{m}</option>
          ))}
        </Choice>
        <Field
          label="Setting"
          placeholder="temperature 0.7"
          value={filters.setting}
          error={wrong('setting')}
          onChange={(e) => set('setting', e.target.value)}
        />
        <Field
          label="From"
          type="date"
          value={filters.since}
          error={wrong('since')}
          onChange={(e) => set('since', e.target.value)}
        />
        <Field
          label="To"
          type="date"
          value={filters.until}
          error={wrong('until')}
          onChange={(e) => set('until', e.target.value)}
        />
      </search>
      {found.isError && !placed && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.isPending && <Waiting what="the ledger" />}
      {found.data && !found.isError && lines.length === 0 && (
        <Empty
          title={narrowed ? 'Nothing in the ledger is like that.' : 'Nothing has happened yet.'}
        >
          {narrowed && (
            <TextAction onClick={() => setSearch({}, { replace: true })}>
              Show everything
            </TextAction>
          )}
        </Empty>
      )}
      {!found.isError && <LedgerLines lines={lines} />}
      {found.hasNextPage && (
        <Button
          className="mt-4"
          disabled={found.isFetchingNextPage}
          onClick={() => void found.fetchNextPage()}
        >
          Read on
        </Button>
      )}
    </main>
  )
}

function BriefChoice({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const desk = useDesk()
  return (
    <Choice label="Brief" value={value} onChange={(e) => onChange(e.target.value)}>
      <option value="">all</option>
      {desk.data?.briefs.map((b) => (
        <option key={b.id} value={b.id}>
          {b.name}
        </option>
      ))}
    </Choice>
  )
}

function asked(filters: Filters): Partial<Filters> {
  return Object.fromEntries(Object.entries(filters).filter(([, v]) => v.trim()))
}

/** What was last chosen, a moment after the last change. */
function usePaused(filters: Filters): Filters {
  const text = JSON.stringify(filters)
  const [kept, setKept] = useState(text)
  useEffect(() => {
    const timer = window.setTimeout(() => setKept(text), PAUSE_MS)
    return () => window.clearTimeout(timer)
  }, [text])
  return JSON.parse(kept) as Filters
}

function LedgerLines({ lines }: { lines: Schemas['LineShape'][] }) {
  return (
    <table className="w-full text-sm">
      <thead className="sr-only">
        <tr>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>Brief</th>
          <th>Cost</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => {
          const to = linkOf(line)
          return (
            <tr key={line.id} className="border-b border-rule align-baseline">
              <td className="w-36 py-1.5 font-mono text-xs text-soft">
                {new Date(line.at).toLocaleString('en-GB', {
                  dateStyle: 'medium',
                  timeStyle: 'short',
                })}
              </td>
              <td className="pr-3 text-soft">
                <span className="block w-24 truncate" title={line.actor}>
                  {line.actor}
                </span>
              </td>
              <td className="pr-3 break-words">
                {to ? (
                  <Link
                    className="decoration-rule underline underline-offset-2 hover:text-action hover:decoration-action"
                    to={to}
                  >
                    {lineInWords(line)}
                  </Link>
                ) : (
                  lineInWords(line)
                )}
              </td>
              <td className="w-44">
                {line.brief !== null && (
                  <Link className="text-soft hover:text-action" to={`/briefs/${line.brief}/draft`}>
                    {line.brief_name}
                  </Link>
                )}
              </td>
              <td className="w-36 text-right font-mono text-xs">
                {line.cost_nano ? costInWords(line.cost_nano, line.simulated_nano) : ''}
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}
