import { TextAction } from '@/parts/controls'
import { usePrice } from '../../try/price'
import type { Job } from '../../try/useTries'
import type { WayProps } from '../regionParts'
import type { Shown, Tried } from '../useAsking'

const MANY = 10

/** Ten more like an answer and unlike each other: asked of its model as the next turn, with the price. */
export function TenMore({
  shown,
  way,
  tried,
  text,
}: {
  shown: Shown
  way: WayProps
  tried: Tried
  text: string
}) {
  const { asking } = way
  const before = [...tried.talk, { role: 'assistant' as const, content: shown.answer.text }]
  const whole = text === shown.answer.text
  const turn = `Write ${MANY} more ${whole ? 'answers like yours' : `like this one:\n\n${text}\n\n`}${whole ? ' ' : ''}as a numbered list, one line each. Each must be of the same kind and keep to the same rules, and none may be like another: vary what they say, not only the words.`
  const job: Job = {
    key: `more#${asking.count}`,
    model: shown.model,
    settings: { ...tried.settings, ...shown.settings },
    inputs: tried.inputs,
    reference: null,
    repeat: 0,
    talk: { said: before, turn },
  }
  const price = usePrice(way.brief.id, [job], tried.messages)
  const ask = () => {
    way.setForm({ to: 'talk', upto: null })
    void asking.ask(
      [job],
      {
        version: tried.version,
        changed: tried.changed,
        case: tried.case,
        talk: [...before, { role: 'user', content: turn }],
        after: tried.number,
      },
      tried.messages.map((m) => ({ ...m, step: m.step ?? null })),
    )
  }
  return (
    <p className="mt-1">
      <TextAction light disabled={asking.running} onClick={ask}>
        Ten more like {whole ? 'it' : 'this'}, unlike each other{price && `, ${price}`}
      </TextAction>
    </p>
  )
}
