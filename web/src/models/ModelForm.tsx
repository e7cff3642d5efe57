import { useRef } from 'react'
import type { Schemas } from '@/api/client'
import { addModel, changeModel } from '@/api/connections'
import { Button, Choice, ErrorLine, Field } from '@/parts/controls'
import { Meanwhile } from '@/parts/Meanwhile'
import { asText } from '@/parts/text'
import { useTyped } from '@/parts/typed'
import { numberOrNull, priceOrNull, useForm } from './saving'

type Connection = Schemas['ConnectionShape']
type Model = Schemas['ModelShape']
type Props = {
  at: Connection
  of: Model | null
  close: () => void
}

// Every setting a call may carry, as people call it.
const PARAMETERS: [string, string][] = [
  ['temperature', 'temperature'],
  ['top_p', 'top-p'],
  ['top_k', 'top-k'],
  ['max_tokens', 'output limit'],
  ['seed', 'seed'],
  ['presence_penalty', 'presence penalty'],
  ['frequency_penalty', 'frequency penalty'],
  ['stop', 'stop sequences'],
  ['response_schema', 'response schema'],
  ['reasoning_effort', 'reasoning effort'],
]

/** What can be called at a connection: its name there, prices, limits, and what it does not take. */
export function ModelForm({ at, of, close }: Props) {
  const place = `model ${at.id} ${of?.id ?? 'new'}`
  const [unsupported, setUnsupported] = useTyped<string[]>(
    `${place} unsupported`,
    of?.unsupported ?? [],
  )
  const [reasoning, setReasoning] = useTyped<Model['reasoning']>(
    `${place} reasoning`,
    of?.reasoning ?? 'auto',
  )
  // What the form shows of it, or what of a change in between was seen since.
  const seen = useRef(of && seenOf(of))
  const { form, bind, submit, rest, now, leave } = useForm(
    place,
    {
      name: of?.name ?? '',
      context_length: text(of?.context_length),
      price_in: text(of?.price_in),
      price_out: text(of?.price_out),
      price_cached: text(of?.price_cached),
      price_reasoning: text(of?.price_reasoning),
      concurrency: text(of?.concurrency),
      requests_per_minute: text(of?.requests_per_minute),
      tokens_per_minute: text(of?.tokens_per_minute),
    },
    (f) => {
      const body = {
        name: f.name,
        unsupported,
        context_length: numberOrNull(f, 'context_length'),
        price_in: priceOrNull(f, 'price_in'),
        price_out: priceOrNull(f, 'price_out'),
        price_cached: priceOrNull(f, 'price_cached'),
        price_reasoning: priceOrNull(f, 'price_reasoning'),
        reasoning,
        simulated: of?.simulated ?? false,
        concurrency: numberOrNull(f, 'concurrency'),
        requests_per_minute: numberOrNull(f, 'requests_per_minute'),
        tokens_per_minute: numberOrNull(f, 'tokens_per_minute'),
      }
      return of ? changeModel(of.id, { ...body, seen: seen.current }) : addModel(at.id, body)
    },
    close,
  )
  return (
    <form className="grid grid-cols-3 gap-3" onSubmit={(e) => void submit(e)}>
      <Field className="col-span-3" label="Name, as the server knows it" {...bind('name')} />
      <Field
        label="Context, tokens"
        placeholder="unknown"
        inputMode="numeric"
        {...bind('context_length')}
      />
      <Field
        label="Price in, per million tokens"
        placeholder="no price"
        inputMode="decimal"
        {...bind('price_in')}
      />
      <Field
        label="Price out, per million tokens"
        placeholder="no price"
        inputMode="decimal"
        {...bind('price_out')}
      />
      <Field
        label="Price of cached tokens in"
        placeholder="as others"
        inputMode="decimal"
        {...bind('price_cached')}
      />
      <Field
        label="Price of reasoning tokens"
        placeholder="as others out"
        inputMode="decimal"
        {...bind('price_reasoning')}
      />
      <Choice
        label="Its reasoning stands"
        value={reasoning}
        onChange={(e) => setReasoning(e.target.value as Model['reasoning'])}
      >
        <option value="auto">in a field or between marks</option>
        <option value="none">nowhere: all is answer</option>
      </Choice>
      <Field
        label="Calls at a time"
        placeholder="as the connection"
        inputMode="numeric"
        {...bind('concurrency')}
      />
      <Field
        label="Requests per minute"
        placeholder="as the connection"
        inputMode="numeric"
        {...bind('requests_per_minute')}
      />
      <Field
        label="Tokens per minute"
        placeholder="as the connection"
        inputMode="numeric"
        {...bind('tokens_per_minute')}
      />
      <SettingsTaken never={of?.never_sent ?? []} {...{ unsupported, setUnsupported }} />
      {now && (
        <div className="col-span-3">
          <Meanwhile
            now={shown(now)}
            mine={shown({ ...form, reasoning, unsupported })}
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
        <div className="col-span-3">
          <ErrorLine>{rest}</ErrorLine>
        </div>
      )}
      <div className="col-span-3">
        <Button kind="main" type="submit">
          Save the model
        </Button>
      </div>
    </form>
  )
}

type TakenProps = {
  never: string[]
  unsupported: string[]
  setUnsupported: (names: string[]) => void
}

/** Which settings it takes; what its protocol has no word for cannot be ticked. */
function SettingsTaken({ never, unsupported, setUnsupported }: TakenProps) {
  return (
    <fieldset className="col-span-3 mt-2 border-t border-rule pt-3">
      <legend className="sr-only">Settings it takes</legend>
      <p className="mb-1.5 text-sm">
        <span className="font-serif text-base font-semibold">Settings it takes</span>{' '}
        <span className="text-soft">What is not ticked is never sent.</span>
      </p>
      <div className="grid grid-cols-3 gap-x-3 gap-y-1 text-sm">
        {PARAMETERS.map(([name, words]) => (
          <label
            key={name}
            className={`flex items-center gap-2 ${never.includes(name) ? 'text-soft' : ''}`}
          >
            <input
              type="checkbox"
              disabled={never.includes(name)}
              checked={!unsupported.includes(name) && !never.includes(name)}
              onChange={(e) =>
                setUnsupported(
                  e.target.checked ? unsupported.filter((n) => n !== name) : [...unsupported, name],
                )
              }
            />
            {words}
            {never.includes(name) && ' (not in this protocol)'}
          </label>
        ))}
      </div>
    </fieldset>
  )
}

// What is told side by side where two changed it.
const NAMES = {
  name: 'Name',
  context_length: 'Context, tokens',
  price_in: 'Price in',
  price_out: 'Price out',
  price_cached: 'Price of cached tokens in',
  price_reasoning: 'Price of reasoning tokens',
  reasoning: 'Its reasoning stands',
  unsupported: 'Settings it does not take',
  concurrency: 'Calls at a time',
  requests_per_minute: 'Requests per minute',
  tokens_per_minute: 'Tokens per minute',
}

/** As the form would show it. */
function shown(now: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(
    Object.keys(NAMES).map((name) => [
      name,
      Array.isArray(now[name]) ? now[name].join(', ') : asText(now[name]),
    ]),
  )
}

/** What the form showed of it: a change by somebody else in between is not overwritten. */
function seenOf(m: Model): Record<string, unknown> {
  return Object.fromEntries(Object.keys(NAMES).map((name) => [name, m[name as keyof Model]]))
}

function text(value: number | null | undefined): string {
  return value === null || value === undefined ? '' : String(value)
}
