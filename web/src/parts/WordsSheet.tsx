import { Overlay } from './overlay'

// One sentence each, in the order in which one meets them.
const WORDS: [string, string][] = [
  ['brief', 'The job one prompt must do, and everything that belongs to it.'],
  ['version', 'One state of the prompt; it never changes once it is saved, and has a parent.'],
  ['clause', 'The smallest unit of a prompt that is judged and changed, numbered § 1, § 2 …'],
  ['amendment', 'A change of one clause: added, amended, struck or moved, with its reason.'],
  [
    'twin',
    'A case with its input put differently, and what must become of the answer: the same, another, or no obedience.',
  ],
  ['lineage', 'The tree of versions, each under the one it came from.'],
  ['placeholder', 'A named hole in the prompt, {{message}}, that a case fills.'],
  [
    'margin',
    'The column at the right: what is to be said of what stands beside it. Of a scorecard: the difference that would matter to you.',
  ],
  ['tenor', 'What a prompt is read to ask for: task, inputs, answer, limits, rules, examples.'],
  ['finding', 'A weak spot of a prompt, told beside its clause, with why it matters.'],
  ['wish', 'One line of what the prompt shall do differently; it becomes amendments.'],
  ['try', 'The text as it stands, asked for real and kept with its answers; no proof of anything.'],
  ['case', 'One input as it will really come, with what is wanted where that is known.'],
  ['reference', 'What is wanted as the answer to a case.'],
  [
    'working, held out',
    'Working cases are for tuning; held-out cases are looked at last, so that they can still tell.',
  ],
  ['settings', 'How answers are drawn: temperature, top-p, the output limit, a seed.'],
  [
    'temperature',
    'How freely the next word is drawn: at 0 the likeliest one, higher with more chance.',
  ],
  ['few-shot', 'Worked examples within the prompt that show how it is done.'],
  ['token', 'The piece of a word that models count and charge by; about four letters of English.'],
  ['arm', 'One version on one model with one settings: what a trial compares.'],
  ['trial', 'Arms run on the same cases, with the price known before.'],
  ['measure', 'A rule that turns an answer into a number from 0 to 1.'],
  ['must pass', 'A measure that makes the whole score 0 where it is not met (a gate).'],
  ['scorecard', 'The measures of a brief with their weights: what counts as good.'],
  ['judge', 'A model that scores by a rubric; it is always held against what people said.'],
  ['mark', 'A person’s judgement of an answer: good, usable or bad, with comments on its words.'],
  [
    'precedent',
    'A small check on one case, made from a mark, that every later version is held to.',
  ],
  [
    'interval',
    'The range in which a figure would lie with other cases like these, 95 times in 100.',
  ],
  [
    'ahead, level, not shown',
    'Ahead is said only where the cases show it; level where the difference is within the margin; else it is not shown.',
  ],
  ['verdict', 'The recorded decision for an arm, with its evidence.'],
  [
    'simulated',
    'Answered by a small program that follows written rules: good for learning the way, no evidence about a real model.',
  ],
]

type Props = {
  /** Where it begins; "" at its head. */
  word: string
  onClose: () => void
}

/** The words of this program, one sentence each. */
export function WordsSheet({ word, onClose }: Props) {
  const asked = word.toLowerCase()
  return (
    <Overlay open onOpenChange={(open) => !open && onClose()} title="Words" side>
      <dl className="grid grid-cols-[9rem_minmax(0,1fr)] gap-x-4 gap-y-2">
        {WORDS.map(([name, told]) => {
          const here = asked !== '' && name.split(', ').includes(asked)
          return (
            <div
              key={name}
              className="contents"
              ref={
                here
                  ? (row) => {
                      // What it returns may be a promise, and no way to clean up.
                      row?.firstElementChild?.scrollIntoView({ block: 'center' })
                    }
                  : null
              }
            >
              <dt
                className={`font-serif text-base font-semibold ${here ? 'border-l-2 border-action pl-2' : ''}`}
              >
                {name}
              </dt>
              <dd className="text-sm leading-6">{told}</dd>
            </div>
          )
        })}
      </dl>
    </Overlay>
  )
}
