import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { inWords, lines } from '@/api/client'
import { useConnections, useRefreshBrief, useVersion } from '@/api/queries'
import { Button, ErrorLine, Key, Simulated } from '@/parts/controls'
import { money, rampStep, score, seconds } from '@/parts/numbers'
import { rampColours } from '@/parts/ramp'
import type { Brief } from '../BriefFrame'
import { CasePicker } from './CasePicker'
import { useCaseAt } from './useCaseAt'
import type { WorkingCopy } from './workingCopy'

type Result = {
  text: string; outcome: string; why: string; finish_reason: string | null
  tokens_in: number; tokens_out: number; cost: number | null
  latency_ms: number; first_ms: number | null; attempts: number
  scores: { measure: string; score: number | null; why: string }[]; total: number | null
}
type Line = { text?: string; result?: Result; refused?: string }
type Attempt = { key: number; label: string; text: string; result: Result | null; problem: string | null }

const MOST_MODELS = 6

/** The text under work on one case, on several models side by side, for real. */
export function TryView({ brief, copy, besideNumber }: { brief: Brief; copy: WorkingCopy; besideNumber: number | null }) {
  const parent = useVersion(brief.id, besideNumber).data
  const cases = useCaseAt(brief)
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const [wanted, setWanted] = useState<number[] | null>(null)
  const [besides, setBesides] = useState(false)
  const { attempts, ask, running, stop } = useAttempts(brief)
  const chosen = (wanted ?? models.slice(0, 2).map((m) => m.id)).slice(0, MOST_MODELS)
  const go = () => {
    const inputs = cases.chosen?.inputs ?? {}
    const reference = cases.chosen?.reference ?? null
    for (const id of chosen) {
      const name = models.find((m) => m.id === id)?.name ?? ''
      const rows = copy.messages.map((m) => ({ role: m.role, content: m.content, step: m.step }))
      ask(id, name, { messages: rows, settings: copy.settings, inputs, reference })
      if (besides && parent) {
        ask(-id, `${name}, v${parent.number} as saved`, { messages: parent.messages, settings: parent.settings, inputs, reference }, id)
      }
    }
  }
  const latest = useRef(go)
  useEffect(() => {
    latest.current = go
  })
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key === 'Enter') {
        e.preventDefault()
        latest.current()
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [])
  const columns = chosen.flatMap((id) => (besides && parent ? [id, -id] : [id])).filter((id) => attempts[id]?.length)
  return (
    <div>
      <div className="mb-3 flex items-center gap-3 text-sm">
        <CasePicker cases={cases} />
        <span className="ml-auto flex items-center gap-2">
          <Key>Ctrl Enter</Key>
          {running > 0 && <Button kind="harm" onClick={stop}>Stop</Button>}
          <Button kind="main" disabled={chosen.length === 0} onClick={go}>
            {columns.length ? 'Again' : 'Try it'}
          </Button>
        </span>
      </div>
      {cases.chosen && (
        <p className="mb-3 line-clamp-3 border-l-2 border-rule-strong pl-3 font-serif text-base text-soft">
          {Object.values(cases.chosen.inputs).filter((v) => v !== null && v !== '').map(String).join(' · ')}
        </p>
      )}
      <fieldset className="mb-4 flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <legend className="sr-only">Models to try it on</legend>
        {models.map((m) => (
          <label key={m.id} className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={chosen.includes(m.id)}
              disabled={!chosen.includes(m.id) && chosen.length >= MOST_MODELS}
              onChange={(e) => setWanted(e.target.checked ? [...chosen, m.id] : chosen.filter((id) => id !== m.id))}
            />
            {m.name} {m.simulated && <Simulated />}
          </label>
        ))}
        {parent && (
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={besides} onChange={(e) => setBesides(e.target.checked)} />
            also v{parent.number} as saved
          </label>
        )}
      </fieldset>
      {models.length === 0 && <p className="text-sm text-soft">Add a model under Models to try the text on.</p>}
      {columns.length === 0 && models.length > 0 && (
        <p className="text-sm text-soft">
          The text as it stands, saved or not, goes out as real calls; nothing of it is stored but what they cost.
        </p>
      )}
      <div className="grid gap-x-6 gap-y-4" style={{ gridTemplateColumns: `repeat(${Math.min(besides ? 2 : 3, Math.max(1, columns.length))}, minmax(0, 1fr))` }}>
        {columns.map((id) => (
          <section key={id} className="min-w-0" aria-label={attempts[id]?.[0]?.label}>
            <h3 className="border-b border-rule-strong pb-1 font-serif text-base font-semibold">{attempts[id]?.[0]?.label}</h3>
            {attempts[id]?.map((a) => <AttemptView key={a.key} attempt={a} />)}
          </section>
        ))}
      </div>
    </div>
  )
}

function AttemptView({ attempt: a }: { attempt: Attempt }) {
  const r = a.result
  return (
    <div className="border-b border-rule py-2">
      {a.problem && <ErrorLine>{a.problem}</ErrorLine>}
      {r && r.outcome !== 'answered' && (
        <p className="mb-1 border-l-2 border-harm bg-wash-harm px-2 py-1 text-sm text-harm">
          <strong>{r.outcome}</strong>: {r.why}
        </p>
      )}
      {(a.text || (!r && !a.problem)) && (
        <pre className="font-mono text-sm whitespace-pre-wrap break-words" aria-busy={!r && !a.problem}>
          {a.text || '…'}
        </pre>
      )}
      {r && (
        <p className="mt-1 text-xs text-soft">
          {[
            r.finish_reason && `finish ${r.finish_reason}`, `${r.tokens_in} in, ${r.tokens_out} out`,
            r.cost !== null && money(r.cost), r.latency_ms > 0 && seconds(r.latency_ms),
            r.attempts > 1 && `${r.attempts} attempts`,
          ].filter(Boolean).map((part, i) => (
            <span key={i} className="whitespace-nowrap">{i > 0 && ' · '}{part}{' '}</span>
          ))}
        </p>
      )}
      {r && r.scores.length > 0 && (
        <p className="mt-1 flex flex-wrap gap-1 text-xs">
          {r.scores.map((s) => (
            <span key={s.measure} title={s.why} className="whitespace-nowrap">
              {s.score === null ? (
                <span className="font-mono">none</span>
              ) : (
                <span className="px-1 font-mono" style={rampColours(rampStep(s.score))}>{score(s.score)}</span>
              )}{' '}
              {s.measure}
            </span>
          ))}
        </p>
      )}
    </div>
  )
}

/** Attempts by column, the newest on top; asking again keeps the ones before. */
function useAttempts(brief: Brief) {
  const [attempts, setAttempts] = useState<Record<number, Attempt[]>>({})
  const [running, setRunning] = useState(0)
  const made = useRef(0)
  const repeats = useRef<Record<number, number>>({})
  const aborting = useRef(new AbortController())
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  useEffect(() => () => aborting.current.abort(), [])
  const ask = (column: number, label: string, body: Record<string, unknown>, model = column) => {
    const key = (made.current += 1)
    // Another answer to the same question: the seed sent is another one.
    const repeat = (repeats.current[column] = (repeats.current[column] ?? -1) + 1)
    const change = (part: (a: Attempt) => Partial<Attempt>) =>
      setAttempts((all) => ({ ...all, [column]: (all[column] ?? []).map((a) => (a.key === key ? { ...a, ...part(a) } : a)) }))
    setAttempts((all) => ({ ...all, [column]: [{ key, label, text: '', result: null, problem: null }, ...(all[column] ?? [])] }))
    setRunning((n) => n + 1)
    lines<Line>(
      `/api/briefs/${brief.id}/try/`,
      { ...body, model, repeat },
      (line) => {
        if (line.text !== undefined) change((a) => ({ text: a.text + line.text }))
        // The whole answer at the end: an attempt that broke off has left its pieces before it.
        if (line.result) change(() => ({ result: line.result ?? null, text: line.result?.text ?? '' }))
        if (line.refused) change(() => ({ problem: line.refused ?? null }))
      },
      aborting.current.signal,
    )
      .catch((error: unknown) =>
        change(() => ({ problem: aborting.current.signal.aborted ? 'Stopped.' : inWords(error) })),
      )
      .finally(() => {
        setRunning((n) => n - 1)
        refresh()
        void cache.invalidateQueries({ queryKey: ['session'] })
      })
  }
  const stop = () => {
    aborting.current.abort()
    aborting.current = new AbortController()
  }
  return { attempts, ask, running, stop }
}
