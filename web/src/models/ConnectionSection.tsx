import type { Schemas } from '@/api/client'
import { Note } from '@/parts/Margin'
import { StandingNote } from '@/parts/StandingNote'
import { Simulated, TextAction } from '@/parts/controls'
import { count, money } from '@/parts/numbers'
import { HealthStrip } from './HealthStrip'
import type { Opened } from './opened'

type Connection = Schemas['ConnectionShape']
type Model = Schemas['ModelShape']

/** One connection: its models in the middle, how it is doing in the margin. */
export function ConnectionSection({
  connection: c,
  open,
}: {
  connection: Connection
  open: (o: Opened) => void
}) {
  return (
    <section className="grid grid-cols-[minmax(0,1fr)_250px] gap-8 border-b border-rule py-5">
      <div className="min-w-0">
        <div className="flex items-baseline gap-3">
          <h2 className="text-lg whitespace-nowrap">{c.name}</h2>
          {c.simulated && <Simulated />}
          <span className="min-w-0 truncate font-mono text-xs text-soft" title={c.base_url}>
            {c.base_url}
          </span>
          <span className="ml-auto text-sm">
            <TextAction onClick={() => open({ kind: 'connection', of: c })}>Change</TextAction>
          </span>
        </div>
        <p className="mt-1 text-sm text-soft">
          {inShort(c)} {keyWords(c)}
        </p>
        {c.models.length > 0 && (
          <table className="mt-3 w-full text-sm">
            <thead>
              <tr className="border-b border-rule-strong text-left text-xs text-soft">
                <th className="py-1 font-semibold">Model</th>
                <th className="w-24 text-right font-semibold">Context</th>
                <th className="w-44 text-right font-semibold">In, out per million</th>
                <th className="w-40 pl-4 font-semibold">Estimates off by</th>
                <th className="w-28">
                  <span className="sr-only">Actions</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {c.models.map((m) => (
                <ModelRow key={m.id} model={m} at={c} open={open} />
              ))}
            </tbody>
          </table>
        )}
        <p className="mt-2 flex gap-4 text-sm">
          <TextAction onClick={() => open({ kind: 'offered', at: c })}>
            See what it offers
          </TextAction>
          <TextAction onClick={() => open({ kind: 'model', at: c, of: null })}>
            Add a model by name
          </TextAction>
        </p>
      </div>
      <aside className="grid content-start gap-3">
        {c.standing.state === 'steady' ? (
          <Note tone="action" title="Ready">
            {c.models.length ? 'No complaint at present.' : 'No model is called here yet.'}
          </Note>
        ) : (
          <StandingNote connection={c} />
        )}
        <HealthStrip connection={c.id} />
      </aside>
    </section>
  )
}

function ModelRow({
  model: m,
  at,
  open,
}: {
  model: Model
  at: Connection
  open: (o: Opened) => void
}) {
  const limits = [limitWords(m), m.borne !== null && `found to bear ${count(m.borne)} at a time`]
    .filter(Boolean)
    .join(', ')
  return (
    <tr className="border-b border-rule align-baseline">
      <td className="max-w-0 py-1.5">
        <span className="flex items-baseline gap-2">
          <span className="truncate" title={m.name}>
            {m.name}
          </span>{' '}
          {m.simulated && <Simulated />}
        </span>
        {(limits || m.unsupported.length > 0) && (
          <span className="block text-xs text-soft">
            {[
              limits,
              m.unsupported.length > 0 &&
                `does not take ${m.unsupported.join(', ').replaceAll('_', ' ')}`,
            ]
              .filter(Boolean)
              .join('; ')}
          </span>
        )}
      </td>
      <td className="text-right font-mono text-xs">
        {m.context_length === null ? 'unknown' : count(m.context_length)}
      </td>
      <td className="text-right font-mono text-xs">
        {m.price_in === null
          ? 'no price'
          : `${money(m.price_in * 1e9, 2)}, ${money((m.price_out ?? 0) * 1e9, 2)}`}
      </td>
      <td className="pl-4 text-xs">
        {m.error_in === null || m.error_out === null ? (
          <span className="text-soft">not known yet</span>
        ) : (
          `${Math.round(m.error_in * 100)} % in, ${Math.round(m.error_out * 100)} % out`
        )}
      </td>
      <td className="text-right whitespace-nowrap">
        <TextAction onClick={() => open({ kind: 'test', of: m })}>Test</TextAction>{' '}
        <TextAction className="ml-2" onClick={() => open({ kind: 'model', at, of: m })}>
          Change
        </TextAction>
      </td>
    </tr>
  )
}

function limitWords(of: {
  concurrency: number | null
  requests_per_minute: number | null
  tokens_per_minute: number | null
}): string {
  return [
    of.concurrency !== null && `${count(of.concurrency)} at a time`,
    of.requests_per_minute !== null && `${count(of.requests_per_minute)} requests a minute`,
    of.tokens_per_minute !== null && `${count(of.tokens_per_minute)} tokens a minute`,
  ]
    .filter(Boolean)
    .join(', ')
}

function inShort(c: Connection): string {
  const limits = limitWords(c)
  return `${c.protocol}; ${limits ? `at most ${limits}` : 'no limit set'}; ${c.call_timeout_s} s per call, ${c.stall_timeout_s} s without a word.`
}

function keyWords(c: Connection) {
  if (c.key_kept) return 'Its key is kept here, encrypted.'
  if (!c.key_env) return 'No key.'
  return (
    <>
      Key from <span className="font-mono text-xs">{c.key_env}</span>,{' '}
      {c.key_set ? (
        'which is set.'
      ) : (
        <span className="text-harm">which is not set in the server’s environment.</span>
      )}
    </>
  )
}
