import type { Schemas } from '@/api/client'
import { Area, Button } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { usePrice } from '../../try/price'
import type { Job, Said } from '../../try/useTries'
import type { DraftMessage } from '../../workingCopy'
import type { TryFormContent } from '../useTryForm'

const TURNS = [1, 2, 4, 6, 8, 12]
const DEFAULT_TURNS = 4

type Props = {
  form: TryFormContent
  setForm: (part: Partial<TryFormContent>) => void
  models: Schemas['ModelShape'][]
  said: Said[]
  running: boolean
  brief: number
  job: (talk: NonNullable<Job['talk']>) => Job
  messages: Pick<DraftMessage, 'role' | 'content' | 'step'>[]
  onPlay: (talk: NonNullable<Job['talk']>) => void
}

/** A described person talks on: a second model writes the user's turns. */
export function Played(props: Props) {
  const { form, setForm, models, said, running, brief, job, messages, onPlay } = props
  const person = form.person ?? ''
  const most = form.most ?? DEFAULT_TURNS
  const player = form.player ?? models[0]?.id ?? null
  const talk = { said, turn: '', user: person, most, model: player }
  const ready = person.trim() !== '' && player !== null && !running
  const price = usePrice(brief, ready ? [job(talk)] : [], messages)
  return (
    <details className="mt-2 text-sm" open={person !== ''}>
      <summary className="cursor-pointer text-soft">Let a described person talk on</summary>
      <Area
        label="Who the person is, what they want, how they talk"
        rows={2}
        className="mt-1"
        value={person}
        onChange={(e) => setForm({ person: e.target.value })}
      />
      <div className="mt-1 flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2">
          played by
          <select
            className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
            value={player ?? ''}
            onChange={(e) => setForm({ player: Number(e.target.value) })}
          >
            {models.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          at most
          <select
            className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
            value={most}
            onChange={(e) => setForm({ most: Number(e.target.value) })}
          >
            {TURNS.map((n) => (
              <option key={n} value={n}>
                {plural(n, 'turn')}
              </option>
            ))}
          </select>
        </label>
        <Button small disabled={!ready} onClick={() => onPlay(talk)}>
          Let it talk{price && `, ${price}`}
        </Button>
      </div>
    </details>
  )
}
