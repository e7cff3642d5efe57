import type { ReactNode } from 'react'
import { TextAction } from '@/parts/controls'
import type { Said as Turn } from '../../try/useTries'

type Props = {
  said: Turn[]
  /** What the prompt itself says as the user, before anything was typed; null where it does not. */
  opening: string | null
  /** How many entries stay where one went back; null: all. */
  upto: number | null
  onFrom: (n: number) => void
  onAll: () => void
  /** The last answer, with what it took and what can be done with it. */
  children: ReactNode
}

/** A talk as it went, turns numbered; from any of them it can go on otherwise. */
export function Said({ said, opening, upto, onFrom, onAll, children }: Props) {
  const before = said.at(-1)?.role === 'assistant' ? said.slice(0, -1) : said
  const number = (i: number) =>
    said.slice(0, i + 1).filter((s) => s.role === 'user').length + (opening === null ? 0 : 1)
  return (
    <ol className="grid gap-1.5" aria-label="Talk">
      {opening !== null && (
        <li className="pr-10">
          <p className="text-xs text-soft">user, turn 1: the text’s own</p>
          {opening && (
            <p
              dir="auto"
              className="line-clamp-3 border-l-2 border-rule-strong pl-3 font-serif text-base whitespace-pre-wrap"
            >
              {opening}
            </p>
          )}
        </li>
      )}
      {before.map((s, i) => (
        <li
          key={i}
          className={`${s.role === 'user' ? 'pr-10' : 'pl-10'} ${upto !== null && i >= upto ? 'opacity-50' : ''}`}
        >
          <p className="flex gap-3 text-xs text-soft">
            <span>
              {s.role === 'user' ? 'user' : 'answer'}, turn {number(i)}
            </span>
            <TextAction
              light
              title="the talk goes on from here, otherwise; what came after it stays as a former try"
              onClick={() => onFrom(s.role === 'user' ? i : i + 1)}
            >
              {s.role === 'user' ? 'say it otherwise' : 'go on from here'}
            </TextAction>
          </p>
          <p
            dir="auto"
            className={`border-l-2 pl-3 break-words whitespace-pre-wrap ${s.role === 'user' ? 'border-rule-strong font-serif text-base' : 'border-ink font-mono text-sm'}`}
          >
            {s.content}
          </p>
        </li>
      ))}
      <li className={`pl-10 ${upto !== null && upto < said.length ? 'opacity-50' : ''}`}>
        {children}
      </li>
      {upto !== null && (
        <li className="text-sm text-attention-text">
          {upto === 0
            ? 'A new talk begins'
            : `The next turn comes after ${upto} of ${said.length} things said`}
          ; the rest stays as a former try.{' '}
          <TextAction onClick={onAll}>Go on from the end after all</TextAction>
        </li>
      )}
    </ol>
  )
}
