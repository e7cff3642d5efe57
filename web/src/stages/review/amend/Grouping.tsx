import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { offeredModelsQuery, useConnections } from '@/api/connections'
import { groupRemarks } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine, Field, TextAction } from '@/parts/controls'
import { money, plural } from '@/parts/numbers'

type Props = { trial: number; version: number; told: Schemas['FaultsShape'] }

/** By what remarks are grouped: what they are about, then their words, or their meaning as a model puts it. */
export function Grouping({ trial, version, told }: Props) {
  const [open, setOpen] = useState(false)
  const { write, pending, problem } = useWrite([['trial', trial, 'faults']])
  const { embedder } = told
  if (told.said === 0) return null
  const group = (body: Parameters<typeof groupRemarks>[2]) =>
    void write(async () => {
      await groupRemarks(trial, version, body)
      setOpen(false)
    })
  return (
    <section className="mt-3 text-xs text-soft" aria-label="How remarks are grouped">
      <p className="flex flex-wrap items-baseline gap-x-3">
        Remarks are grouped by what they are about, then by{' '}
        {embedder ? `their meaning, as ${embedder.model} puts it` : 'their words'}.
        {embedder ? (
          <TextAction light disabled={pending} onClick={() => group({ connection: null })}>
            By their words again
          </TextAction>
        ) : (
          !open && (
            <TextAction light onClick={() => setOpen(true)}>
              By their meaning…
            </TextAction>
          )
        )}
      </p>
      {embedder && embedder.missing > 0 && (
        <p className="mt-1 flex items-baseline gap-3">
          {plural(embedder.missing, 'remark')} came since: until then all go by their words.
          <Button
            small
            disabled={pending}
            onClick={() =>
              group({
                connection: embedder.connection,
                model: embedder.model,
                price: embedder.price_nano === null ? null : String(embedder.price_nano / 1e9),
              })
            }
          >
            Send {embedder.missing === 1 ? 'it' : 'them'},{' '}
            {costOf(embedder.tokens, embedder.price_nano)}
          </Button>
        </p>
      )}
      {open && !embedder && <EmbedderForm told={told} busy={pending} onGroup={group} />}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </section>
  )
}

type FormProps = {
  told: Schemas['FaultsShape']
  busy: boolean
  onGroup: (body: Parameters<typeof groupRemarks>[2]) => void
}

function EmbedderForm({ told, busy, onGroup }: FormProps) {
  const connections = useConnections().data ?? []
  const [chosen, setChosen] = useState<number | null>(null)
  const connection = chosen ?? connections[0]?.id ?? null
  const [model, setModel] = useState('')
  const [price, setPrice] = useState('')
  const offered = useQuery({
    ...offeredModelsQuery(connection ?? 0),
    enabled: connection !== null,
    retry: false,
  })
  const nano = price.trim() === '' || Number.isNaN(Number(price)) ? null : Number(price) * 1e9
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        onGroup({ connection, model, price: nano === null ? null : price.trim() })
      }}
    >
      <Choice
        label="Connection"
        className="w-44"
        value={connection ?? ''}
        onChange={(e) => setChosen(Number(e.target.value))}
      >
        {connections.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </Choice>
      <Field
        label="Its embeddings model"
        className="w-52"
        list="embedding-models"
        // eslint-disable-next-line jsx-a11y/no-autofocus -- it was asked for a moment ago
        autoFocus
        value={model}
        onChange={(e) => setModel(e.target.value)}
      />
      <datalist id="embedding-models">
        {offered.data?.models.map((m) => (
          <option key={m.name} value={m.name} />
        ))}
      </datalist>
      <Field
        label="Price of a million tokens"
        className="w-40"
        inputMode="decimal"
        placeholder="not known"
        value={price}
        onChange={(e) => setPrice(e.target.value)}
      />
      <Button
        type="submit"
        disabled={busy}
        lacks={[
          connection === null && { words: 'no connection is there', to: '/models' },
          model.trim() === '' && 'no model is named',
        ]}
      >
        Send {plural(told.said, 'remark')}, {costOf(told.said_tokens, nano)}
      </Button>
    </form>
  )
}

function costOf(tokens: number, nano: number | null): string {
  return nano === null
    ? `about ${plural(tokens, 'token')}, price unknown`
    : `about ${money(Math.round((tokens * nano) / 1e6))}`
}
