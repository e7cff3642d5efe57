import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { useSession } from '@/api/desk'
import { trialReadersQuery } from '@/api/reviews'
import { Note } from '@/parts/Margin'
import { TextAction } from '@/parts/controls'
import { plural, score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'

/** The readers of a trial, how far they agree, and the answers they have to settle. */
export function ReadersNote({
  trial,
  onOpen,
}: {
  trial: number
  onOpen: (output: number) => void
}) {
  const [open, setOpen] = useState(false)
  const found = useQuery({ ...trialReadersQuery(trial), staleTime: 20_000 })
  const r = found.data
  return (
    <>
      <WhoReads />
      {r && r.readers.length > 1 && (
        <Note
          tone={r.alpha !== null && r.alpha < 0.667 ? 'attention' : 'inform'}
          title={`${plural(r.readers.length, 'reader')}`}
        >
          {r.alpha === null
            ? `Agreement cannot be told: ${r.why_null}. `
            : `Agreement on ${plural(r.n_units, 'answer')} that two or more read: ${score(r.alpha)} (${score(r.low)} to ${score(r.high)}). `}
          {r.n_apart > 0 && (
            <TextAction onClick={() => setOpen(true)}>
              {plural(r.n_apart, 'answer')} to settle
            </TextAction>
          )}
        </Note>
      )}
      <Overlay open={open} onOpenChange={setOpen} title="Where readers differ" side>
        {r && (
          <Apart
            r={r}
            onOpen={(output) => {
              setOpen(false)
              onOpen(output)
            }}
          />
        )}
      </Overlay>
    </>
  )
}

function Apart({ r, onOpen }: { r: Schemas['ReadersShape']; onOpen: (output: number) => void }) {
  return (
    <div className="grid gap-3 text-sm">
      {r.kappa.length > 0 && (
        <p className="text-soft">
          {r.kappa
            .map(
              (k) =>
                `${k.a} and ${k.b}: kappa ${k.kappa === null ? 'none' : score(k.kappa)} on ${k.n}`,
            )
            .join('; ')}
          . Kappa with linear weights, alpha on the ordinal scale; only answers that came up by
          chance count.
        </p>
      )}
      {r.apart.map((a) => (
        <section key={a.output} className="border-b border-rule pb-2">
          <TextAction onClick={() => onOpen(a.output)}>Case {a.case}</TextAction>
          {a.marks.map((m) => (
            <p key={m.reader}>
              <strong>{m.judgement}</strong> <span className="text-soft">{m.reader}</span>{' '}
              {m.comment && `“${m.comment}”`}
            </p>
          ))}
        </section>
      ))}
    </div>
  )
}

/** Under which name one reads; it is kept in this browser and protects nothing. */
function WhoReads() {
  const session = useSession()
  const cache = useQueryClient()
  const [editing, setEditing] = useState(false)
  const [name, setName] = useState('')
  const keep = () => {
    document.cookie = `nomikon-name=${encodeURIComponent(name.trim())}; path=/; max-age=${name.trim() ? 31_536_000 : 0}; samesite=lax`
    setEditing(false)
    void cache.invalidateQueries()
  }
  if (editing) {
    return (
      <form
        className="flex items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          keep()
        }}
      >
        <label className="flex-1 text-xs text-soft">
          Your name as a reader; empty for “you”
          <input
            maxLength={60}
            className="mt-1 h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm text-ink"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <TextAction className="pb-1.5 text-sm" type="submit">
          Keep
        </TextAction>
      </form>
    )
  }
  return (
    <p className="text-xs text-soft">
      Reading as <strong className="text-ink">{session.data?.actor ?? '…'}</strong>{' '}
      <TextAction
        light
        onClick={() => {
          setName(session.data?.actor === 'you' ? '' : (session.data?.actor ?? ''))
          setEditing(true)
        }}
      >
        Change
      </TextAction>
    </p>
  )
}
