import { useQueryClient } from '@tanstack/react-query'
import { useState, type KeyboardEvent } from 'react'
import { inWords, type Schemas } from '@/api/client'
import {
  addConnection,
  addModels,
  changeConnection,
  checkConnection,
  connectionsQuery,
  offeredModelsQuery,
} from '@/api/connections'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine, Field } from '@/parts/controls'
import { plural } from '@/parts/numbers'

const TICKED = 2

/** An address and a key, what is offered there, and some of it added: all in one place. */
export function OwnModels() {
  const cache = useQueryClient()
  const [address, setAddress] = useState('')
  const [key, setKey] = useState('')
  const [connection, setConnection] = useState<number | null>(null)
  const [offered, setOffered] = useState<Schemas['OfferedModelShape'][] | null>(null)
  const [ticked, setTicked] = useState<string[]>([])
  const { write, pending, problem, setProblem } = useWrite([connectionsQuery().queryKey])
  const look = () =>
    void write(async () => {
      const body = {
        name: hostOf(address),
        protocol: 'chat-completions',
        base_url: address.trim(),
        key_env: '',
        key: key === '' ? null : key,
        key_again: false,
        headers: {},
        body_fields: {},
        output_limit: 'max_tokens',
        call_timeout_s: 120,
        stall_timeout_s: 30,
      }
      const made =
        connection === null ? await addConnection(body) : await changeConnection(connection, body)
      setConnection(made.id)
      const found = await checkConnection(made.id)
      if (found.failure) {
        setProblem(
          new Error(
            `It does not answer: ${found.failure}. The address is kept; put it right and look again.`,
          ),
        )
        return
      }
      const list = await cache.fetchQuery({ ...offeredModelsQuery(made.id), staleTime: 0 })
      setOffered(list.models)
      setTicked(list.models.slice(0, TICKED).map((m) => m.name))
    })
  const add = () =>
    void write(async () => {
      if (connection !== null) await addModels(connection, { names: ticked })
    })
  // The form around it writes a first draft; Enter in here only looks.
  const lookOnEnter = (e: KeyboardEvent) => {
    if (e.key !== 'Enter') return
    e.preventDefault()
    if (!pending && address.trim() !== '') look()
  }
  return (
    <div className="ml-6 grid gap-2 border-l-2 border-rule-strong pl-3">
      <div className="flex flex-wrap items-end gap-3">
        <Field
          label="Address"
          className="w-72"
          placeholder="http://127.0.0.1:8080/v1"
          // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
          autoFocus
          value={address}
          onChange={(e) => setAddress(e.target.value)}
          onKeyDown={lookOnEnter}
        />
        <Field
          label="Key, if it needs one"
          className="w-48"
          type="password"
          autoComplete="off"
          value={key}
          onChange={(e) => setKey(e.target.value)}
          onKeyDown={lookOnEnter}
        />
        <Button
          disabled={pending}
          lacks={[address.trim() === '' && 'no address is typed']}
          onClick={look}
        >
          Look what it offers
        </Button>
      </div>
      {offered && (
        <>
          <div className="flex max-h-40 flex-wrap gap-x-5 gap-y-1 overflow-y-auto">
            {offered.map((m) => (
              <label key={m.name} className="flex items-center gap-2">
                <input
                  type="checkbox"
                  checked={ticked.includes(m.name)}
                  onChange={(e) =>
                    setTicked(
                      e.target.checked
                        ? [...ticked, m.name]
                        : ticked.filter((name) => name !== m.name),
                    )
                  }
                />
                {m.name}
              </label>
            ))}
          </div>
          <Button
            className="justify-self-start"
            disabled={pending}
            lacks={[ticked.length === 0 && 'none is ticked']}
            onClick={add}
          >
            Add {plural(ticked.length, 'model')}
          </Button>
        </>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </div>
  )
}

function hostOf(address: string): string {
  try {
    return new URL(address.trim()).host || 'My models'
  } catch {
    return 'My models'
  }
}
