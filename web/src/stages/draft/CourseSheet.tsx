import { useQueries, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { differencesQuery } from '@/api/drafts'
import { versionQuery } from '@/api/versions'
import { Button, Waiting } from '@/parts/controls'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../frame'

import { fromRows, sameText, type WorkingCopy } from './workingCopy'

type Step = { name: string; reason: string; copy: WorkingCopy }
type Props = {
  number: number | null
  /** What the text under work said, the oldest first, and what it says now. */
  course: WorkingCopy[]
  onBack: (copy: WorkingCopy) => void
}

/** The course of the text: each saved version and each state since, with its reason, step by step. */
export function CourseSheet({ number, course, onBack }: Props) {
  const { brief } = useFrame()
  const line = ancestors(brief.versions, number)
  const saved = useQueries({ queries: line.map((n) => versionQuery(brief.id, n)) })
  const [at, setAt] = useState<number | null>(null)
  if (saved.some((q) => q.isPending)) return <Waiting what="the course" />
  const steps: Step[] = saved.flatMap((q) =>
    q.data
      ? [
          {
            name: `v${q.data.number}`,
            reason: [q.data.note, ...q.data.reasons.map((r) => r.reason)]
              .filter(Boolean)
              .join('; '),
            copy: {
              messages: fromRows(q.data.messages),
              settings: q.data.settings,
              secondParent: null,
            },
          },
        ]
      : [],
  )
  const last = steps.at(-1)
  // States before the version in hand was saved are its own history, told by the versions.
  const begin = last ? course.map((c) => sameText(c, last.copy)).lastIndexOf(true) : -1
  for (const copy of course.slice(begin + 1))
    steps.push({ name: 'not saved', reason: copy.reason ?? '', copy })
  const place = Math.min(at ?? steps.length - 1, steps.length - 1)
  const step = steps[place]
  if (!step) return <p className="text-sm text-soft">Nothing has been written yet.</p>
  const before = steps[place - 1]
  return (
    <div className="grid gap-3">
      <p className="flex flex-wrap items-center gap-3 text-sm">
        <Button
          small
          aria-label="the state before"
          lacks={[place === 0 && 'this is the first state']}
          onClick={() => setAt(place - 1)}
        >
          ‹
        </Button>
        <span role="status">
          state {place + 1} of {steps.length}, {step.name}
        </span>
        <Button
          small
          aria-label="the state after"
          lacks={[place === steps.length - 1 && 'this is the text as it stands']}
          onClick={() => setAt(place + 1)}
        >
          ›
        </Button>
        {place < steps.length - 1 && (
          <Button
            small
            onClick={() => onBack(step.copy)}
            title="one undo brings back what stands now"
          >
            Go back to this
          </Button>
        )}
      </p>
      <p className="border-l-2 border-inform pl-3 font-serif">
        {step.reason || (place === 0 ? 'The beginning.' : 'Typed.')}
      </p>
      <Shown key={place} now={step.copy} before={before?.copy ?? null} />
    </div>
  )
}

function Shown({ now, before }: { now: WorkingCopy; before: WorkingCopy | null }) {
  const texts = before ? [whole(before), whole(now)] : []
  const found = useQuery({
    ...differencesQuery({ texts }),
    enabled: before !== null && texts[0] !== texts[1],
    staleTime: Infinity,
  })
  // The commonest comes first; of two different ones that is the former.
  const words = found.data?.[1]?.words ?? []
  return (
    <div dir="auto" className="font-serif text-base break-words whitespace-pre-wrap">
      {words.length > 0 ? <WordChanges words={words} whole /> : whole(now)}
      {before !== null && texts[0] === texts[1] && (
        <p className="mt-2 font-sans text-xs text-soft">
          The words are the same: settings, roles or steps were changed.
        </p>
      )}
    </div>
  )
}

const whole = (copy: WorkingCopy) => copy.messages.map((m) => m.content).join('\n\n')

/** From the first version to this one, parent by parent. */
function ancestors(versions: { number: number; parent: number | null }[], number: number | null) {
  const found: number[] = []
  for (let n = number; n !== null; n = versions.find((v) => v.number === n)?.parent ?? null)
    found.unshift(n)
  return found
}
