import { useState } from 'react'
import { api, dataOf, type Schemas } from '@/api/client'
import { Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { numberOrNull, useForm } from './saving'

type Connection = Schemas['ConnectionShape']
type KeyWay = 'none' | 'variable' | 'kept'

/** Where calls go: address, protocol, key, and what may be asked of it. */
export function ConnectionForm({ of, close }: { of: Connection | null; close: () => void }) {
  const [way, setWay] = useState<KeyWay>(of?.key_kept ? 'kept' : of?.key_env ? 'variable' : 'none')
  const [entering, setEntering] = useState(!of?.key_kept)
  const { form, bind, submit, rest } = useForm(
    {
      name: of?.name ?? '',
      protocol: of?.protocol ?? 'chat-completions',
      base_url: of?.base_url ?? 'http://127.0.0.1:8080/v1',
      key_env: of?.key_env ?? '',
      key: '',
      concurrency: String(of?.concurrency ?? 16),
      requests_per_minute: of?.requests_per_minute ? String(of.requests_per_minute) : '',
      tokens_per_minute: of?.tokens_per_minute ? String(of.tokens_per_minute) : '',
      call_timeout_s: String(of?.call_timeout_s ?? 120),
      stall_timeout_s: String(of?.stall_timeout_s ?? 30),
    },
    (f) => {
      const body = {
        name: f.name,
        protocol: f.protocol,
        base_url: f.base_url,
        key_env: way === 'variable' ? f.key_env : '',
        key: way === 'kept' ? (entering && f.key ? f.key : null) : '',
        concurrency: numberOrNull(f, 'concurrency') ?? undefined,
        requests_per_minute: numberOrNull(f, 'requests_per_minute'),
        tokens_per_minute: numberOrNull(f, 'tokens_per_minute'),
        call_timeout_s: numberOrNull(f, 'call_timeout_s') ?? undefined,
        stall_timeout_s: numberOrNull(f, 'stall_timeout_s') ?? undefined,
      }
      return of
        ? dataOf(
            api.PUT('/api/connections/{connection_id}/', {
              params: { path: { connection_id: of.id } },
              body,
            }),
          )
        : dataOf(api.POST('/api/connections/add/', { body }))
    },
    close,
  )
  return (
    <form className="grid grid-cols-6 gap-3" onSubmit={(e) => void submit(e)}>
      <Field className="col-span-3" label="Name" {...bind('name')} />
      <Choice
        className="col-span-3"
        label="Protocol"
        value={form.protocol}
        onChange={bind('protocol').onChange}
      >
        <option value="chat-completions">chat-completions</option>
        <option value="open-inference">Open Inference Protocol, v2 generate</option>
      </Choice>
      <Field
        className="col-span-6"
        label={
          form.protocol === 'open-inference'
            ? 'Base URL, up to the host or /v2'
            : 'Base URL, up to and with /v1'
        }
        {...bind('base_url')}
      />
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
          placeholder="MODEL_KEY"
          hint="Read by the worker; the value is never stored."
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
      <h3 className="col-span-6 mt-2 border-t border-rule pt-3 font-serif text-base font-semibold">
        What may be asked of it
      </h3>
      <Field
        className="col-span-2"
        label="Calls at a time"
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
        label="Seconds without a word"
        inputMode="decimal"
        {...bind('stall_timeout_s')}
      />
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
