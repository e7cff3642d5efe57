import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { missingQuery } from '@/api/reviews'
import { Note } from '@/parts/Margin'
import { Choice, ErrorLine, TextAction, Waiting } from '@/parts/controls'
import { count, plural, score } from '@/parts/numbers'
import { keepTyped } from '@/parts/typed'
import { useFrame } from '../../frame'
import { StageGrid } from '../../StageGrid'
import { MoreAlike } from './MoreAlike'

type Dataset = Schemas['DatasetShape']
type Part = Schemas['MissingPart']
type Kind = 'tag' | 'label' | 'manner' | 'length' | 'language'

const KINDS: [Kind, string][] = [
  ['tag', 'By tag'],
  ['label', 'By wanted label'],
  ['manner', 'By what the inputs are'],
  ['length', 'By length of the inputs, in characters'],
  ['language', 'By language'],
]

/** The cases part by part, with counts and scores, and the places where there are too few. */
export function MissingView({ dataset }: { dataset: Dataset }) {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const arm = Number(search.get('start')) || undefined
  const found = useQuery({
    ...missingQuery(dataset.id, arm ? { arm } : {}, [dataset.version_id, dataset.changed]),
    placeholderData: (former) => former,
  })
  const told = found.data
  const parts = KINDS.map(
    ([kind, words]) => [kind, words, told?.parts.filter((p) => p.kind === kind) ?? []] as const,
  ).filter(([, , rows]) => rows.length > 0)
  return (
    <StageGrid margin={told && <ThinPlaces told={told} />}>
      <Link
        className="text-sm text-action underline underline-offset-2"
        to={`/briefs/${brief.id}/cases?dataset=${dataset.id}`}
      >
        ‹ the cases of {dataset.name}
      </Link>
      <h1 className="mt-1 text-xl">What is there, and what is thin</h1>
      {told?.job && (
        <p className="mt-1 max-w-3xl border-l-2 border-rule-strong pl-3 font-serif text-sm">
          {told.job}
        </p>
      )}
      {told && told.starts.length > 0 && (
        <Choice
          label="Scores of"
          className="mt-3 w-72"
          value={arm ?? ''}
          onChange={(e) =>
            setSearch(
              (now) => {
                if (e.target.value) now.set('start', e.target.value)
                else now.delete('start')
                return now
              },
              { replace: true },
            )
          }
        >
          <option value="">nobody</option>
          {told.starts.map((s) => (
            <option key={s.arm} value={s.arm}>
              {s.name}
            </option>
          ))}
        </Choice>
      )}
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.isPending && <Waiting what="the cases" />}
      {parts.map(([kind, words, rows]) => (
        <Parts key={kind} {...{ dataset, kind, words, rows }} scored={arm !== undefined} />
      ))}
    </StageGrid>
  )
}

type PartsProps = {
  dataset: Dataset
  kind: Kind
  words: string
  rows: Part[]
  scored: boolean
}

// So many parts of a kind are read at once; the thin ones of the rest come with them.
const SHOWN = 12

function Parts({ dataset, kind, words, rows, scored }: PartsProps) {
  const [all, setAll] = useState(false)
  const [open, setOpen] = useState<string | null>(null)
  const most = Math.max(1, ...rows.map((r) => r.working + r.held_out))
  return (
    <section className="mt-5">
      <h2 className="text-base">{words}</h2>
      <table className="mt-1 w-full table-fixed text-sm">
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="w-[30%] py-1 font-normal">Part</th>
            <th className="w-32 font-normal">
              <span className="sr-only">Size</span>
            </th>
            <th className="w-20 text-right font-normal">working</th>
            <th className="w-20 text-right font-normal">held out</th>
            {scored && <th className="w-16 text-right font-normal">score</th>}
            <th className="pl-4 font-normal">
              <span className="sr-only">What is wanting</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {(all ? rows : rows.slice(0, SHOWN)).map((r) => (
            <PartRow
              key={r.name}
              part={r}
              {...{ dataset, kind, most, scored }}
              open={open === r.name}
              onOpen={() => setOpen(open === r.name ? null : r.name)}
            />
          ))}
        </tbody>
      </table>
      {rows.length > SHOWN && (
        <TextAction light className="mt-1 text-xs" onClick={() => setAll(!all)}>
          {all ? 'the largest only' : `all ${count(rows.length)}`}
        </TextAction>
      )}
    </section>
  )
}

type RowProps = {
  dataset: Dataset
  kind: Kind
  part: Part
  most: number
  scored: boolean
  open: boolean
  onOpen: () => void
}

function PartRow({ dataset, kind, part, most, scored, open, onOpen }: RowProps) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const n = part.working + part.held_out
  const others = brief.datasets.filter((d) => d.id !== dataset.id && !d.archived)
  const propose = () => {
    // The form of proposals asks for this kind; what else was typed there stays.
    keepTyped(`cases ${dataset.id} hard`, `${kind}: ${part.name}`, '')
    void navigate(`/briefs/${brief.id}/cases?dataset=${dataset.id}&do=cases.write`)
  }
  return (
    <>
      <tr className="border-b border-rule align-top">
        <td className="truncate py-1 pr-2" title={part.name}>
          {part.name}
        </td>
        <td className="py-2 pr-2">
          <span className="block h-1.5 bg-rule">
            <span className="block h-full bg-ink" style={{ width: `${(n / most) * 100}%` }} />
          </span>
        </td>
        <td className="py-1 text-right font-mono">{count(part.working)}</td>
        <td className="py-1 text-right font-mono">{count(part.held_out)}</td>
        {scored && (
          <td className="py-1 text-right font-mono">
            {part.score === null ? '–' : score(part.score)}
          </td>
        )}
        <td className="py-1 pl-4">
          {part.thin && (
            <span className="flex flex-wrap gap-x-3">
              <span className="text-attention-text">{part.thin}</span>
              <TextAction onClick={propose}>Propose cases like these</TextAction>
              {n > 0 && others.length > 0 && (
                <TextAction aria-expanded={open} onClick={onOpen}>
                  Find more in…
                </TextAction>
              )}
            </span>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={scored ? 6 : 5} className="border-b border-rule py-2">
            <MoreAlike dataset={dataset} kind={kind} name={part.name} others={others} />
          </td>
        </tr>
      )}
    </>
  )
}

/** The thin places by name, in the margin. */
function ThinPlaces({ told }: { told: Schemas['MissingShape'] }) {
  const thin = told.parts.filter((p) => p.thin)
  const none = thin.filter((p) => p.working + p.held_out === 0)
  return (
    <div className="grid gap-4">
      <Note
        tone={thin.length > 0 ? 'attention' : 'inform'}
        title={thin.length > 0 ? `${plural(thin.length, 'thin place')}` : 'No thin place'}
      >
        {thin.length > 0
          ? 'A mean over all cases hides what happens in a part of them; of fewer than ten cases nothing can be told.'
          : 'Every part has ten working cases or more.'}
        {none.length > 0 && ` No case at all: ${none.map((p) => p.name).join(', ')}.`}
      </Note>
      {told.gaps.length > 0 && (
        <Note title="Never together">
          {told.gaps.map((g) => (
            <span key={`${g.tag} ${g.label}`} className="block font-sans text-xs">
              {g.tag} with {g.label}: none, by chance about {Math.round(g.expected)}
            </span>
          ))}
          What a version does with them is seen by no trial.
        </Note>
      )}
      {told.told < told.n && (
        <Note title="Languages">
          Told of {count(told.told)} of the {count(told.n)} cases, evenly spread.
        </Note>
      )}
    </div>
  )
}
