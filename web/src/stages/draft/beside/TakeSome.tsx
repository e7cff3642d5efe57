import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { merge, mergePlanQuery, useChanges } from '@/api/versions'
import { Button, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural, signed } from '@/parts/numbers'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../../frame'

import { fromRows, type WorkingCopy } from '../workingCopy'
import { type Shown, useShown } from './useShown'

type Amendment = Schemas['AmendmentShape']
type Side = Schemas['MergeChoiceShape']['side']
type Props = {
  number: number
  beside: number
  unsaved: boolean
  onTaken: (copy: WorkingCopy) => void
}

/** What leads from the version in hand to another one, to be brought in as a whole or in part. */
export function TakeSome(props: Props) {
  const { number, beside } = props
  const { brief } = useFrame()
  const changes = useChanges(brief.id, beside, number)
  const plan = useQuery({
    ...mergePlanQuery(brief.id, number, beside),
    retry: false,
    staleTime: Infinity,
  })
  if (changes.isPending || plan.isPending) return <Waiting what="what differs" />
  if (changes.isLoadingError) return <ErrorLine>{inWords(changes.error)}</ErrorLine>
  return <Choose {...props} amendments={changes.data.amendments} plan={plan.data ?? null} />
}

const KINDS = {
  add: 'adds',
  amend: 'amends',
  strike: 'strikes',
  move: 'moves',
  layout: 'sets otherwise',
} as const

type TakeProps = Props & {
  amendments: Amendment[]
  plan: Schemas['MergeShape'] | null
}

/** The amendments one by one; those chosen come into the text under work. */
function Choose({ number, beside, unsaved, amendments, plan, onTaken }: TakeProps) {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState(() => new Set(plan?.proposed ?? []))
  const { write, problem } = useWrite()
  const shown = useShown(brief.id, beside)
  const shownOf = (a: Amendment) => shown.get(wordsOf(a))
  const [good, bad] = (['helped', 'hurt'] as const).map((word) =>
    amendments.filter((a) => shownOf(a)?.word === word),
  ) as [Amendment[], Amendment[]]
  const sides = new Map((plan?.choices ?? []).map((c) => [c.amendment.id, c.side]))
  const toggle = (a: Amendment) => {
    const next = new Set(chosen)
    if (next.has(a.id)) {
      next.delete(a.id)
      // What needs it goes with it.
      for (const other of amendments) if (other.requires.includes(a.id)) next.delete(other.id)
    } else {
      next.add(a.id)
      a.requires.forEach((r) => next.add(r))
    }
    setChosen(next)
  }
  const take = () =>
    write(async () => {
      const made = await merge(brief.id, number, beside, { take: [...chosen] })
      const branches = plan !== null && plan.base !== number && plan.base !== beside
      onTaken({
        messages: fromRows(made.messages),
        settings: made.settings,
        secondParent: branches ? beside : null,
      })
    })
  return (
    <div>
      <ul>
        {amendments.map((a) => (
          <li
            key={a.id}
            className="grid grid-cols-[1.5rem_9rem_minmax(0,1fr)] gap-x-2 border-b border-rule py-2"
          >
            <input
              type="checkbox"
              className="mt-1 self-start justify-self-start"
              aria-label={`Take: ${a.id}`}
              checked={chosen.has(a.id)}
              onChange={() => toggle(a)}
            />
            <div className="text-xs text-soft">
              <p>
                <strong className="text-ink">
                  v{beside} {KINDS[a.kind]}
                </strong>{' '}
                {place(a)}
              </p>
              {plan && <p>{sideInWords(sides.get(a.id), number, beside, plan.base)}</p>}
              <WasShown shown={shownOf(a)} />
            </div>
            <p className="font-serif text-base break-words whitespace-pre-wrap">
              {a.words.length ? (
                <WordChanges words={a.words} whole />
              ) : a.kind === 'strike' ? (
                <s className="text-soft">{a.before?.text}</s>
              ) : (
                (a.after?.text ?? `${a.detail[0]?.toUpperCase()}${a.detail.slice(1)}.`)
              )}
            </p>
          </li>
        ))}
      </ul>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {good.length + bad.length > 0 && (
        <p className="mt-2 flex flex-wrap gap-x-3 text-sm">
          It was found out what {plural(good.length + bad.length, 'change')} of v{beside} did:
          {bad.length > 0 && (
            <TextAction
              onClick={() =>
                setChosen(new Set([...chosen].filter((id) => !bad.some((a) => a.id === id))))
              }
            >
              leave out what hurt
            </TextAction>
          )}
          {good.length > 0 && (
            <TextAction
              onClick={() => setChosen(new Set(good.flatMap((a) => [a.id, ...a.requires])))}
            >
              tick what helped, and nothing else
            </TextAction>
          )}
        </p>
      )}
      {amendments.length > 0 && (
        <div className="mt-3 flex items-center gap-3 text-sm">
          <Button
            kind="main"
            lacks={[
              chosen.size === 0 && 'no change is ticked',
              unsaved && `v${number} has unsaved changes: save or drop them first`,
            ]}
            onClick={() => void take()}
          >
            Bring {chosen.size === amendments.length ? 'all' : chosen.size} into v{number}
          </Button>
          <span className="text-soft">
            {unsaved
              ? `v${number} has unsaved changes: save or drop them first.`
              : 'Nothing is saved by it: the text can be read and changed before.'}
          </span>
        </div>
      )}
    </div>
  )
}

/** What a search found that this change does. */
function WasShown({ shown }: { shown: Shown | undefined }) {
  if (!shown) return null
  return (
    <p className={shown.word === 'hurt' ? 'text-harm' : 'text-action'}>
      {shown.word}, {signed(shown.share, 2)} (v{shown.older} to v{shown.newer})
    </p>
  )
}

/** The words by which a change is known in a search. */
function wordsOf(a: Amendment): string {
  return (a.detail || (a.after ?? a.before)?.text || '').trim()
}

function place(a: Amendment): string {
  const clause = a.before ?? a.after
  return clause ? `§ ${clause.number}` : ''
}

function sideInWords(side: Side | undefined, number: number, beside: number, base: number): string {
  if (base === number || base === beside) return ''
  if (side === 'theirs') return `new in v${beside} since v${base}`
  if (side === 'ours') return `v${number} changed it since v${base}`
  return side === 'both' ? 'both changed it: yours to decide' : ''
}
