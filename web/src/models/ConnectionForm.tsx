import { useQuery } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Problem, type Schemas } from '@/api/client'
import { addConnection, changeConnection, checkConnection, protocolsQuery } from '@/api/connections'
import { Area, Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { Meanwhile } from '@/parts/Meanwhile'
import { useTyped } from '@/parts/typed'
import { numberOrNull, useForm } from './saving'

type Connection = Schemas['ConnectionShape']
type Props = {
  of: Connection | null
  close: () => void
  /** A new one answers: what it offers comes next. */
  offered: (at: Connection) => void
}
type FieldName =
  | 'key_env'
  | 'key'
  | 'concurrency'
  | 'output_limit'
  | 'most_answer_mb'
  | 'headers'
  | 'body_fields'
  | 'requests_per_minute'
  | 'tokens_per_minute'
  | 'call_timeout_s'
  | 'stall_timeout_s'
type KeyWay = 'none' | 'variable' | 'kept'

/** Where calls go: address, protocol, key, and what may be asked of it. */
export function ConnectionForm({ of, close, offered }: Props) {
  // Once it is saved, saving again changes it.
  const [saved, setSaved] = useState(of)
  // What the form shows of it, or what of a change in between was seen since.
  const seen = useRef(of && seenOf(of))
  const [way, setWay] = useTyped<KeyWay>(
    `connection ${of?.id ?? 'new'} way`,
    of?.key_kept ? 'kept' : of?.key_env ? 'variable' : 'none',
  )
  const [entering, setEntering] = useState(!of?.key_kept)
  const [again, setAgain] = useState(false)
  const { form, bind, submit, rest, now, leave } = useForm(
    `connection ${of?.id ?? 'new'}`,
    {
      name: of?.name ?? '',
      protocol: of?.protocol ?? 'chat-completions',
      base_url: of?.base_url ?? 'http://127.0.0.1:8080/v1',
      key_env: of?.key_env ?? '',
      key: '',
      concurrency: of?.concurrency ? String(of.concurrency) : '',
      output_limit: of?.output_limit ?? 'max_tokens',
      most_answer_mb: of?.most_answer_mb ? String(of.most_answer_mb) : '',
      headers: linesOf(of),
      body_fields: hasFields(of) ? JSON.stringify(of?.body_fields, null, 2) : '',
      requests_per_minute: of?.requests_per_minute ? String(of.requests_per_minute) : '',
      tokens_per_minute: of?.tokens_per_minute ? String(of.tokens_per_minute) : '',
      call_timeout_s: String(of?.call_timeout_s ?? 120),
      stall_timeout_s: String(of?.stall_timeout_s ?? 30),
    },
    async (f) => {
      const body = {
        name: f.name,
        protocol: f.protocol,
        base_url: f.base_url,
        key_env: way === 'variable' ? f.key_env : '',
        key_again: again,
        key: way === 'kept' ? (entering && f.key ? f.key : null) : '',
        concurrency: numberOrNull(f, 'concurrency'),
        output_limit: f.output_limit.trim(),
        most_answer_mb: numberOrNull(f, 'most_answer_mb'),
        headers: headersOf(f.headers),
        body_fields: fieldsOf(f.body_fields),
        requests_per_minute: numberOrNull(f, 'requests_per_minute'),
        tokens_per_minute: numberOrNull(f, 'tokens_per_minute'),
        call_timeout_s: numberOrNull(f, 'call_timeout_s') ?? undefined,
        stall_timeout_s: numberOrNull(f, 'stall_timeout_s') ?? undefined,
      }
      const kept = await (saved
        ? changeConnection(saved.id, { ...body, seen: seen.current })
        : addConnection(body))
      setSaved(kept)
      seen.current = seenOf(kept)
      const checked = await checkConnection(kept.id)
      if (checked.failure)
        throw new Problem(
          422,
          'unanswered',
          `It is saved, but does not answer: ${checked.failure}`,
          null,
        )
      if (of === null) offered({ ...kept, base_url: checked.base_url })
    },
    () => of !== null && close(),
  )
  const protocols = useQuery({ ...protocolsQuery(), staleTime: Infinity })
  return (
    <form className="grid grid-cols-6 gap-3" onSubmit={(e) => void submit(e)}>
      <Field className="col-span-3" label="Name" {...bind('name')} />
      <Choice
        className="col-span-3"
        label="Protocol"
        value={form.protocol}
        onChange={bind('protocol').onChange}
      >
        {(protocols.data ?? []).map((p) => (
          <option key={p.name} value={p.name}>
            {p.title}
          </option>
        ))}
      </Choice>
      <Field
        className="col-span-6"
        label={protocols.data?.find((p) => p.name === form.protocol)?.address ?? 'Base URL'}
        {...bind('base_url')}
      />
      <KeyFields
        way={way}
        setWay={setWay}
        entering={entering}
        setEntering={setEntering}
        bind={bind}
      />
      {way === 'variable' &&
        saved !== null &&
        originOf(saved.base_url) !== originOf(form.base_url) && (
          <label className="col-span-6 flex items-center gap-2 text-sm text-attention-text">
            <input type="checkbox" checked={again} onChange={(e) => setAgain(e.target.checked)} />
            The address is another one: the key of {form.key_env || 'this variable'} goes there, too
          </label>
        )}
      <Limits bind={bind} />
      <Manners of={of} bind={bind} />
      {now && (
        <div className="col-span-6">
          <Meanwhile
            now={shown(now)}
            mine={form}
            names={NAMES}
            onMine={() => {
              seen.current = now
              void submit()
            }}
            onTheirs={leave}
          />
        </div>
      )}
      {rest && (
        <div className="col-span-6">
          <ErrorLine>{rest}</ErrorLine>
        </div>
      )}
      <div className="col-span-6">
        <Button kind="main" type="submit">
          Save the connection
        </Button>
      </div>
    </form>
  )
}

// What is told side by side where two changed it.
const NAMES = {
  name: 'Name',
  protocol: 'Protocol',
  base_url: 'Address',
  key_env: 'Variable of the key',
  concurrency: 'Calls at a time',
  headers: 'Headers',
  body_fields: 'Body fields',
  output_limit: 'Word for the limit',
  most_answer_mb: 'Largest answer',
}

/** As the form would show it. */
function shown(now: Record<string, unknown>): Record<string, unknown> {
  const of = now as Connection
  return {
    ...now,
    concurrency: of.concurrency ? String(of.concurrency) : '',
    most_answer_mb: of.most_answer_mb ? String(of.most_answer_mb) : '',
    headers: linesOf(of),
    body_fields: hasFields(of) ? JSON.stringify(of.body_fields, null, 2) : '',
  }
}

function linesOf(of: Connection | null): string {
  return Object.entries(of?.headers ?? {})
    .map(([name, value]) => `${name}: ${value}`)
    .join('\n')
}

/** What the form showed of it: a change by somebody else in between is not overwritten. */
function seenOf(c: Connection): Record<string, unknown> {
  const { name, protocol, base_url, key_env, concurrency, headers } = c
  const { body_fields, output_limit, most_answer_mb } = c
  return {
    ...{ name, protocol, base_url, key_env, concurrency, headers },
    ...{ body_fields, output_limit, most_answer_mb },
  }
}

/** Scheme, host and port: where a key is sent. */
function originOf(url: string): string {
  return URL.canParse(url) ? new URL(url).origin : url
}

function hasFields(of: Connection | null): boolean {
  return Object.keys(of?.body_fields ?? {}).length > 0
}

function special(of: Connection | null): boolean {
  return (
    of !== null &&
    (hasFields(of) ||
      Object.keys(of.headers).length > 0 ||
      of.output_limit !== 'max_tokens' ||
      of.most_answer_mb !== null)
  )
}

function headersOf(text: string): Record<string, string> {
  const found: Record<string, string> = {}
  for (const line of text.split('\n').filter((l) => l.trim())) {
    const at = line.indexOf(':')
    if (at < 1) throw new Problem(422, 'invalid', `“${line}” is no header: Name: value`, 'headers')
    found[line.slice(0, at).trim()] = line.slice(at + 1).trim()
  }
  return found
}

function fieldsOf(text: string): Record<string, unknown> {
  if (!text.trim()) return {}
  try {
    const value = JSON.parse(text) as unknown
    if (typeof value === 'object' && value !== null && !Array.isArray(value))
      return value as Record<string, unknown>
  } catch {
    throw new Problem(422, 'invalid', 'this is not JSON', 'body_fields')
  }
  throw new Problem(422, 'invalid', 'this is no JSON object', 'body_fields')
}

type Bind = (name: FieldName) => {
  value: string
  error: string | null
  onChange: (e: { target: { value: string } }) => void
}

type KeyProps = {
  way: KeyWay
  setWay: (way: KeyWay) => void
  entering: boolean
  setEntering: (entering: boolean) => void
  bind: Bind
}

/** Where the key comes from. */
function KeyFields({ way, setWay, entering, setEntering, bind }: KeyProps) {
  return (
    <>
      <Choice
        className="col-span-2"
        label="Key"
        value={way}
        onChange={(e) => setWay(e.target.value as KeyWay)}
      >
        <option value="none">none needed</option>
        <option value="variable">from a variable</option>
        <option value="kept">kept here, encrypted</option>
      </Choice>
      {way === 'variable' && (
        <Field
          className="col-span-4"
          label="Environment variable that holds it"
          placeholder="NOMIKON_KEY_MODELS"
          hint="NOMIKON_KEY_…, or named to serve --key-env. Read by the worker, never stored."
          {...bind('key_env')}
        />
      )}
      {way === 'kept' && entering && (
        <Field
          className="col-span-4"
          label="Key"
          type="password"
          autoComplete="off"
          hint="Encrypted by a key file beside the database; never shown again."
          {...bind('key')}
        />
      )}
      {way === 'kept' && !entering && (
        <p className="col-span-4 self-end pb-1.5 text-sm text-soft">
          A key is kept. <TextAction onClick={() => setEntering(true)}>Enter another</TextAction>
        </p>
      )}
    </>
  )
}

function Limits({ bind }: { bind: Bind }) {
  return (
    <>
      <h3 className="col-span-6 mt-2 border-t border-rule pt-3 font-serif text-base font-semibold">
        What may be asked of it
      </h3>
      <Field
        className="col-span-2"
        label="Calls at a time"
        placeholder="found out"
        hint="Empty: at most 32; on a network of one's own it begins with 2 and finds out."
        inputMode="numeric"
        {...bind('concurrency')}
      />
      <Field
        className="col-span-2"
        label="Requests per minute"
        placeholder="no limit"
        inputMode="numeric"
        {...bind('requests_per_minute')}
      />
      <Field
        className="col-span-2"
        label="Tokens per minute"
        placeholder="no limit"
        inputMode="numeric"
        {...bind('tokens_per_minute')}
      />
      <Field
        className="col-span-2"
        label="Seconds per call"
        inputMode="decimal"
        {...bind('call_timeout_s')}
      />
      <Field
        className="col-span-2"
        label="Give up after so long a silence, seconds"
        inputMode="decimal"
        {...bind('stall_timeout_s')}
      />
    </>
  )
}

function Manners({ of, bind }: { of: Connection | null; bind: Bind }) {
  return (
    <details className="col-span-6 border-t border-rule pt-3" open={special(of)}>
      <summary className="cursor-pointer font-serif text-base font-semibold">
        Manners of this server
      </summary>
      <div className="mt-2 grid grid-cols-6 gap-3">
        <Area
          className="col-span-3"
          label="Headers sent with every request, one a line"
          placeholder="X-Team: harbour"
          rows={3}
          {...bind('headers')}
        />
        <Area
          className="col-span-3"
          label="Fields put into every call, a JSON object"
          placeholder={'{"store": false}'}
          rows={3}
          {...bind('body_fields')}
        />
        <Field
          className="col-span-2"
          label="Its word for the output limit"
          {...bind('output_limit')}
        />
        <Field
          className="col-span-2"
          label="Largest answer, MB"
          placeholder="16"
          inputMode="numeric"
          {...bind('most_answer_mb')}
        />
      </div>
    </details>
  )
}
