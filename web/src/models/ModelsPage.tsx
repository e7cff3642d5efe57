import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, dataOf, inWords, Problem, type Schemas } from '@/api/client'
import { keys, useConnections } from '@/api/queries'
import { Button, Empty, ErrorLine, Field, Simulated, TextAction, Waiting } from '@/parts/controls'
import { count, money } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'

type Connection = Schemas['ConnectionShape']
type Model = Schemas['ModelShape']
type Editing =
  | { kind: 'connection'; of: Connection | null }
  | { kind: 'model'; at: Connection; of: Model | null }
  | null

/** Models: where calls go, what can be called there, at what price. */
export function ModelsPage() {
  const connections = useConnections()
  const [editing, setEditing] = useState<Editing>(null)
  const title =
    editing?.kind === 'connection'
      ? editing.of ? `Change ${editing.of.name}` : 'New connection'
      : editing?.of ? `Change ${editing.of.name}` : `New model at ${editing?.at.name ?? ''}`
  return (
    <main className="mx-auto w-full max-w-[1160px] flex-1 overflow-y-auto px-6 py-6">
      <div className="flex items-end justify-between border-b-2 border-ink pb-3">
        <h1 className="text-2xl">Models</h1>
        <Button kind="main" onClick={() => setEditing({ kind: 'connection', of: null })}>New connection…</Button>
      </div>
      {connections.isError && <ErrorLine>{inWords(connections.error)}</ErrorLine>}
      {connections.isPending && <Waiting what="the connections" />}
      {connections.data?.length === 0 && (
        <Empty title="No connection yet.">
          A connection is a server that speaks the chat-completions interface: a base URL, and the
          name of the environment variable that holds its key.
        </Empty>
      )}
      {connections.data?.map((c) => (
        <section key={c.id} className="border-b border-rule py-5">
          <div className="flex items-baseline gap-3">
            <h2 className="text-lg">{c.name}</h2>
            {c.simulated && <Simulated />}
            <span className="min-w-0 truncate font-mono text-xs text-soft">{c.base_url}</span>
            <span className="ml-auto text-sm"><TextAction onClick={() => setEditing({ kind: 'connection', of: c })}>Change</TextAction></span>
          </div>
          <p className="mt-1 text-sm text-soft">
            {c.protocol}, at most {c.concurrency} calls at a time, {c.call_timeout_s} s per call, {c.stall_timeout_s} s without a word.{' '}
            {c.key_env ? (
              <>Key from <span className="font-mono text-xs">{c.key_env}</span>, {c.key_set ? 'which is set.' : <span className="text-harm">which is not set in the server’s environment.</span>}</>
            ) : 'No key.'}
          </p>
          <table className="mt-3 w-full text-sm">
            <thead>
              <tr className="border-b border-rule-strong text-left text-xs text-soft">
                <th className="py-1 font-semibold">Model</th>
                <th className="w-40 text-right font-semibold">Context, tokens</th>
                <th className="w-48 text-right font-semibold">In, per million tokens</th>
                <th className="w-48 text-right font-semibold">Out, per million tokens</th>
                <th className="w-20"><span className="sr-only">Change</span></th>
              </tr>
            </thead>
            <tbody>
              {c.models.map((m) => (
                <tr key={m.id} className="border-b border-rule">
                  <td className="py-1.5">{m.name} {m.simulated && <Simulated />}</td>
                  <td className="text-right font-mono text-xs">{m.context_length === null ? 'unknown' : count(m.context_length)}</td>
                  <td className="text-right font-mono text-xs">{m.price_in === null ? 'no price' : money(m.price_in * 1e9, 2)}</td>
                  <td className="text-right font-mono text-xs">{m.price_out === null ? 'no price' : money(m.price_out * 1e9, 2)}</td>
                  <td className="text-right"><TextAction onClick={() => setEditing({ kind: 'model', at: c, of: m })}>Change</TextAction></td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-2 text-sm"><TextAction onClick={() => setEditing({ kind: 'model', at: c, of: null })}>Add a model</TextAction></p>
        </section>
      ))}
      <Overlay open={editing !== null} onOpenChange={(o) => !o && setEditing(null)} title={title}>
        {editing?.kind === 'connection' && <ConnectionForm of={editing.of} close={() => setEditing(null)} />}
        {editing?.kind === 'model' && <ModelForm at={editing.at} of={editing.of} close={() => setEditing(null)} />}
      </Overlay>
    </main>
  )
}

/** Save, show what was wrong beside its field, keep what was typed. */
function useSaving(save: () => Promise<unknown>, close: () => void) {
  const cache = useQueryClient()
  const [problem, setProblem] = useState<unknown>(null)
  const submit = async () => {
    setProblem(null)
    try {
      await save()
      void cache.invalidateQueries({ queryKey: keys.connections })
      close()
    } catch (error) {
      setProblem(error)
    }
  }
  const field = problem instanceof Problem ? problem.field : null
  const errorAt = (name: string) => (field === name ? inWords(problem) : null)
  return { submit, problem, field, errorAt }
}

function ConnectionForm({ of, close }: { of: Connection | null; close: () => void }) {
  const [form, setForm] = useState({
    name: of?.name ?? '', base_url: of?.base_url ?? 'http://127.0.0.1:8080/v1', key_env: of?.key_env ?? '',
    concurrency: String(of?.concurrency ?? 16), call_timeout_s: String(of?.call_timeout_s ?? 120),
    stall_timeout_s: String(of?.stall_timeout_s ?? 30),
  })
  const body = {
    ...form, protocol: of?.protocol ?? 'chat-completions', concurrency: Number(form.concurrency),
    call_timeout_s: Number(form.call_timeout_s), stall_timeout_s: Number(form.stall_timeout_s),
  }
  const { submit, problem, field, errorAt } = useSaving(
    () =>
      of
        ? dataOf(api.PUT('/api/connections/{connection_id}/', { params: { path: { connection_id: of.id } }, body }))
        : dataOf(api.POST('/api/connections/add/', { body })),
    close,
  )
  const bind = (name: keyof typeof form) => ({
    value: form[name], error: errorAt(name),
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => setForm({ ...form, [name]: e.target.value }),
  })
  return (
    <form
      className="grid grid-cols-6 gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void submit()
      }}
    >
      <Field className="col-span-6" label="Name" {...bind('name')} />
      <Field className="col-span-6" label="Base URL, up to and with /v1" {...bind('base_url')} />
      <Field className="col-span-6" label="Environment variable that holds the key" hint="The key itself is never stored. Leave it empty where none is needed." {...bind('key_env')} />
      <Field className="col-span-2" label="Calls at a time" {...bind('concurrency')} />
      <Field className="col-span-2" label="Seconds per call" {...bind('call_timeout_s')} />
      <Field className="col-span-2" label="Seconds without a word" {...bind('stall_timeout_s')} />
      {problem !== null && !(field && field in form) && <div className="col-span-6"><ErrorLine>{inWords(problem)}</ErrorLine></div>}
      <div className="col-span-6"><Button kind="main" type="submit">Save the connection</Button></div>
    </form>
  )
}

function ModelForm({ at, of, close }: { at: Connection; of: Model | null; close: () => void }) {
  const [form, setForm] = useState({
    name: of?.name ?? '', context_length: of?.context_length ? String(of.context_length) : '',
    price_in: of?.price_in != null ? String(of.price_in) : '', price_out: of?.price_out != null ? String(of.price_out) : '',
  })
  const number = (text: string) => (text.trim() === '' ? null : (text.trim() as never))
  const body = {
    name: form.name, context_length: number(form.context_length), price_in: number(form.price_in), price_out: number(form.price_out),
  }
  const { submit, problem, field, errorAt } = useSaving(
    () =>
      of
        ? dataOf(api.PUT('/api/models/{model_id}/', { params: { path: { model_id: of.id } }, body }))
        : dataOf(api.POST('/api/connections/{connection_id}/models/', { params: { path: { connection_id: at.id } }, body })),
    close,
  )
  const bind = (name: keyof typeof form) => ({
    value: form[name], error: errorAt(name),
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => setForm({ ...form, [name]: e.target.value }),
  })
  return (
    <form
      className="grid grid-cols-3 gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void submit()
      }}
    >
      <Field className="col-span-3" label="Name, as the server knows it" {...bind('name')} />
      <Field label="Context, tokens" inputMode="numeric" {...bind('context_length')} />
      <Field label="Price in, per million tokens" inputMode="decimal" {...bind('price_in')} />
      <Field label="Price out, per million tokens" inputMode="decimal" {...bind('price_out')} />
      {problem !== null && !(field && field in form) && <div className="col-span-3"><ErrorLine>{inWords(problem)}</ErrorLine></div>}
      <div className="col-span-3"><Button kind="main" type="submit">Save the model</Button></div>
    </form>
  )
}
