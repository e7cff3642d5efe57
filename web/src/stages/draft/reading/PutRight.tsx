import type { Schemas } from '@/api/client'
import { TextAction } from '@/parts/controls'

type Fact = Schemas['ReadFact']

const PARTS: Record<string, string> = {
  task: 'task',
  role: 'role',
  audience: 'readers',
  tone: 'tone',
  language: 'language of the answer',
  output: 'form of the answer',
  limit: 'limit',
  rule: 'rule',
}

type Props = { facts: Fact[]; busy: boolean; onForget: (fact: Fact) => void }

/** What a person put right, each to be taken back: it stands for the brief, not for one version. */
export function PutRight({ facts, busy, onForget }: Props) {
  if (facts.length === 0) return null
  return (
    <section className="border-t border-rule pt-2">
      <h2 className="text-xs font-semibold text-soft">Put right by a person, for this brief</h2>
      <ul className="mt-1 grid gap-1 text-xs">
        {facts.map((f) => (
          <li key={`${f.part} ${f.text}`} className="flex items-baseline justify-between gap-2">
            <span className="min-w-0 break-words">
              {f.text ? `“${short(f.text)}” ` : ''}
              {f.value === null ? `is no ${PARTS[f.part]}` : `is the ${PARTS[f.part]}`}
            </span>
            <TextAction light disabled={busy} onClick={() => onForget(f)}>
              Take back
            </TextAction>
          </li>
        ))}
      </ul>
    </section>
  )
}

const short = (text: string) => (text.length > 60 ? `${text.slice(0, 59)}…` : text)
