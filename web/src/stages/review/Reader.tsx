import { useRef, useState, type ReactNode } from 'react'
import { inWords, type Schemas } from '@/api/client'
import type { Wanted } from '@/api/reviews'
import { useOutput } from '@/api/trials'
import { Note } from '@/parts/Margin'
import { utf16Offsets } from '@/parts/codepoints'
import { Button } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { Word } from '@/parts/Word'
import { useFrame } from '../frame'
import { StageGrid } from '../StageGrid'
import { OutputView } from '../trials/OutputView'
import { AnswerRead, type Place } from './AnswerRead'
import { isEmpty, nextStop } from './draft'
import { FormerNote } from './FormerNote'
import { MarkPanel } from './MarkPanel'
import { MeasuresNote } from './MeasuresNote'
import { MakePrecedent } from './precedents/MakePrecedent'
import { ReadersNote } from './ReadersNote'
import { ReadingChoices } from './ReadingHead'
import { useMarking } from './useMarking'
import { useReaderKeys } from './useReaderKeys'

type Props = {
  reading: Schemas['ReadingShape']
  wanted: Wanted
  onWanted: (w: Wanted) => void
  nav: ReactNode
}

/** One answer at a time, the arm hidden, marked by keyboard; what is typed stays with its answer. */
export function Reader({ reading, wanted, onWanted, nav }: Props) {
  const { brief, inHand } = useFrame()
  const [place, setPlace] = useState<Place | null>(null)
  const [open, setOpen] = useState(false)
  const [shown, setShown] = useState<number | null>(null)
  const [making, setMaking] = useState<number | null>(null)
  const box = useRef<HTMLDivElement>(null)
  const marking = useMarking(brief.id, reading, () => {
    setPlace(null)
    setOpen(false)
  })
  const { at, go, current, former, mine, draft, change, done } = marking
  const output = useOutput(current)
  // The next answer is there before it is asked for.
  useOutput(reading.queue[at + 1]?.output ?? null)
  const text = output.data?.text ?? ''
  const quoteOf = (p: Place) => {
    const unit = utf16Offsets(text)
    return text.slice(unit(p.start), unit(p.end))
  }
  const makePrecedent = async () => setMaking(mine ? current : await marking.lastMarked())
  useReaderKeys(marking, {
    on: shown === null && making === null,
    box,
    chosen: place !== null,
    step: (by) => setPlace((p) => nextStop(text, p, by)),
    precedent: () => void makePrecedent(),
  })
  return (
    <StageGrid
      margin={
        <div ref={box} className="grid gap-3">
          {former && (
            <FormerNote
              former={former}
              text={text}
              onSince={(what) => void marking.since(what)}
              onOpen={setShown}
            />
          )}
          <h2 className="text-base">
            Your <Word of="mark" />
          </h2>
          <MarkPanel
            key={current}
            draft={draft}
            mine={mine}
            stored={output.data?.mark ?? null}
            kinds={marking.kinds}
            counts={marking.counts}
            place={place && { quote: quoteOf(place) }}
            problem={marking.problem === null ? null : inWords(marking.problem)}
            onChange={change}
            onMark={(j) => void marking.mark(j)}
            onComment={(comment) => {
              if (place)
                change({
                  ...draft,
                  spans: [...draft.spans, { ...place, quote: quoteOf(place), comment }],
                })
              setPlace(null)
              if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
            }}
            onUndo={marking.canUndo ? () => void marking.undo() : null}
            onPrecedent={mine || marking.canUndo ? () => void makePrecedent() : null}
            ofLast={!mine}
            exampleAt={`/briefs/${brief.id}/draft?${inHand === null ? '' : `v=${inHand}&`}example=${current ?? ''}`}
          />
          {reading.trial !== null && <ReadersNote trial={reading.trial} onOpen={setShown} />}
          {reading.trial !== null && (
            <MeasuresNote trial={reading.trial} marked={done} onOpen={setShown} />
          )}
          <Note
            title={reading.drawn ? 'Read blind' : 'Not drawn by chance'}
            tone={reading.drawn ? 'plain' : 'attention'}
          >
            {reading.drawn
              ? 'The arm stays hidden until you have marked, and the order is drawn at random, so that marks say something about an arm as a whole.'
              : 'Marks from this order find faults; they are left out of agreement and of what is said about an arm or a judge as a whole.'}
          </Note>
        </div>
      }
    >
      {nav}
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-rule pb-2">
        <h1 className="text-xl">Reading trial {reading.trial_number}</h1>
        <span className="text-sm text-soft">
          answer {count(at + 1)} of {count(reading.queue.length)}, {plural(done, 'mark')}
          {marking.inherited > 0 && `, ${marking.inherited} taken over from the same answers`}
          {!isEmpty(draft) && mine === undefined && ', not marked yet: what you said is kept here'}
        </span>
        <span className="ml-auto flex items-center gap-2">
          <Button onClick={() => go(at - 1)} lacks={[at === 0 && 'this is the first']}>
            Before
          </Button>
          <Button
            onClick={() => go(at + 1)}
            lacks={[at >= reading.queue.length - 1 && 'this is the last']}
          >
            Next
          </Button>
        </span>
      </div>
      <ReadingChoices reading={reading} wanted={wanted} onWanted={onWanted} />
      <AnswerRead
        output={output}
        draft={draft}
        mine={mine}
        place={place}
        setPlace={setPlace}
        open={open}
        setOpen={setOpen}
      />
      <Overlay
        open={making !== null}
        onOpenChange={(o) => !o && setMaking(null)}
        title="Make it a precedent"
      >
        {making !== null && (
          <MakePrecedent key={making} output={making} close={() => setMaking(null)} />
        )}
      </Overlay>
      <Overlay
        open={shown !== null}
        onOpenChange={(o) => !o && setShown(null)}
        title="Answer"
        side
        hideTitle
      >
        {shown !== null && <OutputView id={shown} close={() => setShown(null)} />}
      </Overlay>
    </StageGrid>
  )
}
