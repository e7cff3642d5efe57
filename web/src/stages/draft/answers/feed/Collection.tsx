import { useQuery, useQueryClient } from '@tanstack/react-query'
import { inWords } from '@/api/client'
import { arrangePieces, piecesQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { useState } from 'react'
import type { WorkingCopy } from '../../workingCopy'

type Props = {
  brief: number
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
}

/** What was kept of answers: put in order, taken out, and put together as a text. */
export function Collection({ brief, change }: Props) {
  const cache = useQueryClient()
  const found = useQuery(piecesQuery(brief))
  const { write, problem } = useWrite()
  const [said, setSaid] = useState('')
  const [gone, setGone] = useState<number | null>(null)
  const pieces = found.data ?? []
  const arrange = (order: number[]) =>
    void write(async () => {
      cache.setQueryData(piecesQuery(brief).queryKey, await arrangePieces(brief, { order }))
    })
  const ids = pieces.map((p) => p.id)
  const whole = pieces.map((p) => p.text.trim()).join('\n\n')
  const move = (at: number, by: number) => {
    const order = [...ids]
    const [moved] = order.splice(at, 1)
    if (moved !== undefined) order.splice(at + by, 0, moved)
    arrange(order)
  }
  const copy = () =>
    void navigator.clipboard
      .writeText(whole)
      .then(() => setSaid(`${plural(pieces.length, 'piece')} copied, one after the other.`))
  const intoText = () => {
    change((c) => ({
      ...c,
      messages: c.messages.map((m, i) =>
        i === c.messages.length - 1
          ? { ...m, content: [m.content.trimEnd(), whole].filter(Boolean).join('\n\n') }
          : m,
      ),
    }))
    setSaid('They stand at the end of the text; undo takes them out again.')
  }
  if (pieces.length === 0 && gone === null)
    return (
      <p className="text-sm text-soft">
        Nothing is kept yet. <em>Into the collection</em> stands under <em>Feed on…</em> of every
        answer.
      </p>
    )
  return (
    <div className="grid gap-3">
      <ol className="grid gap-1">
        {pieces.map((p, i) => (
          <li key={p.id} className="border-b border-rule py-1.5">
            <p dir="auto" className="font-serif text-base break-words whitespace-pre-wrap">
              {p.text}
            </p>
            <p className="flex flex-wrap gap-x-3 text-xs text-soft">
              <span>
                {[
                  asText(p.source['model']),
                  p.source['try'] ? `try ${asText(p.source['try'])}` : '',
                ]
                  .filter(Boolean)
                  .join(', ')}
              </span>
              {i > 0 && (
                <TextAction light onClick={() => move(i, -1)}>
                  Up
                </TextAction>
              )}
              {i < pieces.length - 1 && (
                <TextAction light onClick={() => move(i, 1)}>
                  Down
                </TextAction>
              )}
              <TextAction
                light
                onClick={() => {
                  setGone(p.id)
                  arrange(ids.filter((id) => id !== p.id))
                }}
              >
                Remove
              </TextAction>
            </p>
          </li>
        ))}
      </ol>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="flex flex-wrap items-center gap-3 text-sm">
        <Button onClick={intoText} lacks={[pieces.length === 0 && 'nothing is collected']}>
          Put together at the end of the text
        </Button>
        <Button onClick={copy} lacks={[pieces.length === 0 && 'nothing is collected']}>
          Copy all
        </Button>
        {gone !== null && !ids.includes(gone) && (
          <TextAction
            onClick={() => {
              arrange([...ids, gone])
              setGone(null)
            }}
          >
            Put the last one back
          </TextAction>
        )}
        {said && (
          <span role="status" className="text-soft">
            {said}
          </span>
        )}
      </p>
    </div>
  )
}
