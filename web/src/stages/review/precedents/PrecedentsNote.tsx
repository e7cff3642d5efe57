import { useQuery } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { askRulings, precedentsQuery, retirePrecedent, trialPrecedentsQuery } from '@/api/reviews'
import { useWrite } from '@/api/useWrite'
import { Note } from '@/parts/Margin'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { costInWords, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { Word } from '@/parts/Word'
import { KINDS } from './words'

type Props = {
  trial: { id: number; done: number }
  brief: number
  /** Only these arms, in this order; all of the trial without. */
  arms?: number[]
  onOpen: (output: number) => void
}

/** How the arms of a trial stand to the precedents, in the margin of board and verdict. */
export function PrecedentsNote({ trial, brief, arms, onOpen }: Props) {
  const [open, setOpen] = useState(false)
  const board = useQuery({
    ...trialPrecedentsQuery(trial.id, trial.done),
    placeholderData: (former) => former,
    staleTime: 0,
  })
  if (!board.data || board.data.n === 0) return null
  const shown = arms
    ? arms.flatMap((id) => board.data.arms.filter((a) => a.arm.id === id))
    : board.data.arms
  const broken = shown.filter((a) => a.broken > 0)
  return (
    <>
      <Note
        tone={broken.length ? 'harm' : board.data.to_ask ? 'attention' : 'action'}
        title={<Word of="precedent">{plural(board.data.n, 'precedent')}</Word>}
      >
        {shown.map((a) => (
          <span key={a.arm.id} className="block">
            {a.arm.letter}: {a.broken > 0 ? `breaks ${a.broken}` : 'breaks none'}, holds {a.held}
            {a.open > 0 && `, ${a.open} open`}
          </span>
        ))}
        <TextAction className="font-sans text-xs" onClick={() => setOpen(true)}>
          Which ones{board.data.to_ask > 0 && `, and ask the judge (${board.data.to_ask})`}…
        </TextAction>
      </Note>
      <Overlay open={open} onOpenChange={setOpen} title="Precedents" side>
        {open && (
          <PrecedentsSheet
            brief={brief}
            trial={trial.id}
            board={{ ...board.data, arms: shown }}
            refresh={() => void board.refetch()}
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

type SheetProps = {
  brief: number
  trial: number
  board: Schemas['PrecedentBoard']
  refresh: () => void
  onOpen: (output: number) => void
}

function PrecedentsSheet({ brief, trial, board, refresh, onOpen }: SheetProps) {
  const { write, problem } = useWrite([precedentsQuery(brief).queryKey])
  const [running, setRunning] = useState(false)
  const stopped = useRef(false)
  const all = useQuery({ ...precedentsQuery(brief), staleTime: 0 })
  const act = (work: () => Promise<unknown>) =>
    write(async () => {
      await work()
      refresh()
    })
  const ask = () =>
    act(async () => {
      stopped.current = false
      setRunning(true)
      try {
        // Some at a time: what was said is kept at once, and a stop loses nothing.
        for (let left = board.to_ask; left > 0 && !stopped.current;) {
          const now = await askRulings(trial)
          if (now.to_ask >= left) break
          left = now.to_ask
        }
      } finally {
        setRunning(false)
      }
    })
  const stop = () => {
    stopped.current = true
  }
  return (
    <div className="grid gap-5">
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {board.to_ask > 0 && (
        <div className="flex items-center gap-3 text-sm">
          <Button kind="main" disabled={running} onClick={() => void ask()}>
            {running ? 'Asking…' : `Ask the judge of ${plural(board.to_ask, 'answer')}`}
          </Button>
          {running && (
            <Button kind="harm" onClick={stop}>
              Stop
            </Button>
          )}
          <span className="text-soft">
            A question is answered by a model, one call an answer
            {board.cost_about !== null &&
              `, about ${costInWords(board.cost_about, board.simulated_about)} in all`}
            ; what was said is kept.
          </span>
        </div>
      )}
      {board.arms.map((a) => (
        <section key={a.arm.id}>
          <h3 className="text-base">
            {a.arm.letter}: {a.arm.in_words}{' '}
            <span className="font-sans text-sm text-soft">
              holds {a.held}, breaks {a.broken}
              {a.open > 0 && `, ${a.open} open`}
            </span>
          </h3>
          {a.rows.map((r) => (
            <p key={r.id} className="border-b border-rule py-1 text-sm">
              <TextAction light onClick={() => onOpen(r.output)}>
                Case {r.case}
              </TextAction>{' '}
              <span className="font-semibold">{KINDS[r.kind]}</span>{' '}
              <span className="font-serif break-words">{r.text}</span>{' '}
              <span className="text-harm">{r.why}</span>
            </p>
          ))}
        </section>
      ))}
      <section>
        <h3 className="text-base">All precedents of this brief</h3>
        {all.data?.map((p) => (
          <p
            key={p.id}
            className={`border-b border-rule py-1 text-sm ${p.retired ? 'text-soft' : ''}`}
          >
            Case {p.case} <span className="font-semibold">{KINDS[p.kind]}</span>{' '}
            <span className="font-serif break-words">{p.text}</span>{' '}
            <span className="text-xs text-soft">
              {p.created_by}
              {p.judge && `, judged by ${p.judge}`}
            </span>{' '}
            {p.retired ? (
              <span className="text-xs">retired</span>
            ) : (
              <TextAction
                light
                className="text-xs"
                onClick={() => void act(() => retirePrecedent(p.id))}
              >
                Retire it
              </TextAction>
            )}
          </p>
        ))}
      </section>
    </div>
  )
}
