import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { merge, mergePlanQuery, useChanges, useVersion } from '@/api/versions'
import { Button, Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../frame'
import { WordChanges } from './notes'
import { fromRows, type WorkingCopy } from './workingCopy'

type Amendment = Schemas['AmendmentShape']
type Side = Schemas['MergeChoiceShape']['side']
type Props = { number: number; unsaved: boolean; onTaken: (copy: WorkingCopy) => void }

/** The version in hand beside another one: what leads from one to the other, and what to take of it. */
export function BesideView({ number, unsaved, onTaken }: Props) {
  const { brief, beside, setBeside } = useFrame()
  const others = brief.versions.filter((v) => v.number !== number)
  if (others.length === 0) {
    return (
      <p className="py-6 text-sm text-soft">
        There is one version only. A second one can be set beside it.
      </p>
    )
  }
  return (
    <div>
      <div className="mb-3 flex items-end gap-3 text-sm">
        <Choice
          label={`Set beside v${number}`}
          className="w-80"
          value={beside ?? ''}
          onChange={(e) => setBeside(e.target.value ? Number(e.target.value) : null)}
        >
          <option value="">choose a version…</option>
          {others.map((v) => (
            <option key={v.number} value={v.number}>
              v{v.number}
              {v.note && `, ${v.note.slice(0, 60)}`}
            </option>
          ))}
        </Choice>
      </div>
      {beside !== null && (
        <Two
          key={`${number}-${beside}`}
          number={number}
          beside={beside}
          unsaved={unsaved}
          onTaken={onTaken}
        />
      )}
    </div>
  )
}

function Two({ number, beside, unsaved, onTaken }: Props & { beside: number }) {
  const { brief } = useFrame()
  const changes = useChanges(brief.id, beside, number)
  const [texts, setTexts] = useState<boolean | null>(null)
  const plan = useQuery({
    ...mergePlanQuery(brief.id, number, beside),
    retry: false,
    staleTime: Infinity,
  })
  if (changes.isPending || plan.isPending) return <Waiting what="what differs" />
  if (changes.isLoadingError) return <ErrorLine>{inWords(changes.error)}</ErrorLine>
  const showTexts = texts ?? changes.data.rewritten
  const found = changes.data.amendments
  return (
    <div>
      <p className="mb-2 flex items-baseline gap-3 border-b border-rule pb-2 text-sm text-soft">
        <span>
          {found.length === 0
            ? `v${beside} says the same as v${number}.`
            : `${plural(found.length, 'amendment')} lead from v${number} to v${beside}, ${plural(changes.data.kept, 'clause')} kept.`}
          {changes.data.rewritten && ' Little is kept, so the two texts tell more.'}
        </span>
        <TextAction className="ml-auto shrink-0" onClick={() => setTexts(!showTexts)}>
          {showTexts ? 'Show the amendments' : 'Show the two texts'}
        </TextAction>
      </p>
      {showTexts ? (
        <TwoTexts number={number} beside={beside} />
      ) : (
        <TakeSome
          number={number}
          beside={beside}
          unsaved={unsaved}
          amendments={found}
          plan={plan.data ?? null}
          onTaken={onTaken}
        />
      )}
    </div>
  )
}

const KINDS = {
  add: 'adds',
  amend: 'amends',
  strike: 'strikes',
  move: 'moves',
  layout: 'sets otherwise',
} as const

type TakeProps = Props & {
  beside: number
  amendments: Amendment[]
  plan: Schemas['MergeShape'] | null
}

/** The amendments one by one; those chosen come into the text under work. */
function TakeSome({ number, beside, unsaved, amendments, plan, onTaken }: TakeProps) {
  const { brief } = useFrame()
  const [chosen, setChosen] = useState(() => new Set(plan?.proposed ?? []))
  const { write, problem } = useWrite()
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
      {amendments.length > 0 && (
        <div className="mt-3 flex items-center gap-3 text-sm">
          <Button kind="main" disabled={chosen.size === 0 || unsaved} onClick={() => void take()}>
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

function TwoTexts({ number, beside }: { number: number; beside: number }) {
  const { brief } = useFrame()
  const left = useVersion(brief.id, number).data
  const right = useVersion(brief.id, beside).data
  return (
    <div className="grid grid-cols-2 gap-6">
      {[left, right].map((v, i) => (
        <div key={i} className="min-w-0">
          <h3 className="mb-1 font-serif text-base font-semibold">v{v?.number}</h3>
          {v?.messages.map((m, k) => (
            <section key={k} className="mb-3">
              <p className="text-xs text-soft">
                {m.role}
                {m.step && `, step ${m.step}`}
              </p>
              <p className="font-serif text-base break-words whitespace-pre-wrap">{m.content}</p>
            </section>
          ))}
        </div>
      ))}
    </div>
  )
}
