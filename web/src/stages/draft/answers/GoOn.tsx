import { TextAction } from '@/parts/controls'
import { usePrice } from '../try/price'
import type { Job } from '../try/useTries'
import type { WayProps } from './regionParts'
import type { Shown, Tried } from './useAsking'

type Props = { shown: Shown; way: WayProps; tried: Tried }

/** The rest of an answer that was cut, asked of the same model, with the price. */
export function GoOn({ shown, way, tried }: Props) {
  const { asking } = way
  const last = tried.talk.at(-1)
  const job: Job = {
    key: `on#${asking.count}`,
    model: shown.model,
    settings: shown.settings,
    inputs: shown.answer.inputs,
    reference: tried.reference,
    repeat: 0,
    begun: shown.answer.text,
    ...(last ? { talk: { said: tried.talk.slice(0, -1), turn: last.content } } : {}),
  }
  const price = usePrice(way.brief.id, [job], tried.messages)
  const go = () =>
    void asking.ask(
      [job],
      {
        version: tried.version,
        changed: tried.changed,
        case: tried.case,
        step: tried.step,
        talk: tried.talk,
        after: tried.number,
      },
      tried.messages.map((m) => ({ ...m, step: m.step ?? null })),
    )
  // A prompt of several steps has no one answer that could go on.
  if (tried.messages.some((m) => m.step)) return null
  return (
    <TextAction light disabled={asking.running} onClick={go}>
      Have the rest written{price && `, ${price}`}
    </TextAction>
  )
}
