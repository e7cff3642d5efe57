import { useState } from 'react'
import { Link } from 'react-router'
import { inWords } from '@/api/client'
import { useLedger, useSpend } from '@/api/queries'
import { Empty, ErrorLine, Field, Waiting } from '@/parts/controls'
import { money } from '@/parts/numbers'
import { lineInWords } from './words'

/** Everything that happened, newest first. */
export function LedgerPage() {
  const ledger = useLedger(null)
  const [words, setWords] = useState('')
  const lines = (ledger.data ?? []).filter((l) =>
    `${lineInWords(l)} ${l.brief_name} ${l.actor}`.toLowerCase().includes(words.toLowerCase()),
  )
  return (
    <main className="mx-auto w-full max-w-[1160px] flex-1 overflow-y-auto px-6 py-6">
      <div className="flex items-end justify-between border-b-2 border-ink pb-3">
        <h1 className="text-2xl">Ledger</h1>
        <Field label="Find in the ledger" className="w-64" value={words} onChange={(e) => setWords(e.target.value)} />
      </div>
      {ledger.isError && <ErrorLine>{inWords(ledger.error)}</ErrorLine>}
      {ledger.isPending && <Waiting what="the ledger" />}
      {ledger.data && lines.length === 0 && (
        <Empty title={words ? 'Nothing in the ledger says that.' : 'Nothing has happened yet.'} />
      )}
      <Spend />
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
          {lines.map((line) => (
            <tr key={line.id} className="border-b border-rule">
              <td className="w-36 py-1.5 font-mono text-xs text-soft">
                {new Date(line.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}
              </td>
              <td className="w-20 text-soft">{line.actor}</td>
              <td>{lineInWords(line)}</td>
              <td className="w-44">
                {line.brief !== null && (
                  <Link className="text-soft hover:text-action" to={`/briefs/${line.brief}/draft`}>
                    {line.brief_name}
                  </Link>
                )}
              </td>
              <td className="w-24 text-right font-mono text-xs">{line.cost_nano ? money(line.cost_nano) : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </main>
  )
}

/** What was spent, month by month, brief by brief. */
function Spend() {
  const spend = useSpend()
  const rows = spend.data ?? []
  if (rows.length === 0) return null
  const months = [...new Set(rows.map((r) => r.month))].slice(0, 6)
  const names = [...new Set(rows.map((r) => r.name))]
  const of = (month: string, name: string) => rows.filter((r) => r.month === month && r.name === name).reduce((n, r) => n + r.cost, 0)
  const total = (month: string) => rows.filter((r) => r.month === month).reduce((n, r) => n + r.cost, 0)
  return (
    <section className="mb-6 border-b border-rule-strong pt-4 pb-4">
      <h2 className="text-base">Spent, by month and brief</h2>
      <table className="mt-2 text-sm">
        <thead>
          <tr className="border-b border-rule text-left text-xs text-soft">
            <th className="w-64 py-1 font-semibold">Brief</th>
            {months.map((m) => <th key={m} className="w-32 text-right font-semibold">{monthInWords(m)}</th>)}
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name} className="border-b border-rule">
              <td className="py-1">{name}</td>
              {months.map((m) => <td key={m} className="text-right font-mono text-xs">{of(m, name) ? money(of(m, name)) : '–'}</td>)}
            </tr>
          ))}
          <tr className="font-semibold">
            <td className="py-1">Together</td>
            {months.map((m) => <td key={m} className="text-right font-mono text-xs">{money(total(m))}</td>)}
          </tr>
        </tbody>
      </table>
    </section>
  )
}

function monthInWords(month: string): string {
  return new Date(`${month}-15`).toLocaleDateString('en-GB', { month: 'long', year: 'numeric' })
}
