import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { listTwinsQuery, lookAtTwinsQuery, makeTwins } from '@/api/twins'
import { useWrite } from '@/api/useWrite'
import { Chooser } from '@/parts/Chooser'
import { Area, Button, Choice, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { useTyped } from '@/parts/typed'
import { WordChanges } from '@/parts/WordChanges'
import { useFrame } from '../../frame'
import { datasetInHand } from '../../dataset'
import { ownLists } from './ownLists'
import { EXPECTED } from './useTwins'

type Kind = Schemas['TwinKind']

// What a denial makes of an answer is for a person to say first.
const NOT_AT_FIRST = ['negation']
const CASES = 20

/** Which cases get twins of what kinds: looked at before, made by a press; nobody is asked. */
export function MakeTwins({
  onMade,
  onBack,
}: {
  onMade: (id: number) => void
  onBack?: () => void
}) {
  const { brief } = useFrame()
  const there = brief.datasets.filter((d) => !d.archived && d.working > 0)
  const [dataset, setDataset] = useState(datasetInHand(brief)?.id ?? 0)
  const [cases, setCases] = useState(String(CASES))
  const [each, setEach] = useState('1')
  const [seed, setSeed] = useState(0)
  const [lists, setLists] = useTyped(`twins ${brief.id} lists`, '')
  const [without, setWithout] = useState(NOT_AT_FIRST)
  const own = ownLists(lists)
  const body = {
    dataset,
    n_cases: Number(cases) || 0,
    each: Number(each) || 1,
    seed,
    lists: own.lists,
    synonyms: own.synonyms,
  }
  const look = useQuery({
    ...lookAtTwinsQuery(brief.id, body),
    enabled: there.length > 0,
    retry: false,
    placeholderData: (before) => before,
  })
  const { write, pending, problem } = useWrite([listTwinsQuery(brief.id).queryKey])
  const kinds = look.data?.kinds ?? []
  const wanted = kinds.filter((k) => k.n > 0 && !without.includes(k.kind))
  const n = wanted.reduce((sum, k) => sum + k.n, 0)
  const go = () =>
    void write(async () => {
      const made = await makeTwins(brief.id, { ...body, kinds: wanted.map((k) => k.kind) })
      onMade(made.id)
    })
  const name = there.find((d) => d.id === dataset)?.name ?? 'no dataset'
  return (
    <section aria-label="Make twins">
      <p className="flex flex-wrap items-baseline gap-x-1.5 gap-y-2 text-sm">
        Of
        <Chooser
          label="Cases"
          words={Number(cases) > 0 ? `${cases} cases at random` : 'all working cases'}
        >
          <Field
            label="How many, at random; empty for all"
            inputMode="numeric"
            value={cases}
            onChange={(e) => setCases(e.target.value)}
          />
          <TextAction className="mt-2" onClick={() => setSeed(seed + 1)}>
            draw others
          </TextAction>
        </Chooser>
        of
        <Chooser label="Dataset" words={name}>
          <Choice
            label="Dataset"
            value={dataset}
            onChange={(e) => setDataset(Number(e.target.value))}
          >
            {there.map((d) => (
              <option key={d.id} value={d.id}>
                {d.name}
              </option>
            ))}
          </Choice>
        </Chooser>
        <Chooser label="Of each kind" words={`${each || '1'} of each kind`}>
          <Field
            label="Twins of each kind and case"
            inputMode="numeric"
            value={each}
            onChange={(e) => setEach(e.target.value)}
          />
        </Chooser>
        <Chooser
          label="Own lists"
          words={
            own.lists.length + own.synonyms.length > 0
              ? [...own.lists.map((l) => l.name), ...own.synonyms.map((w) => w.join(' = '))].join(
                  ', ',
                )
              : 'and no list of my own'
          }
        >
          <Area
            label="A line each: facts of one kind (port: Brack, Neap, Stennick), or words that mean the same (boat = ship)"
            rows={4}
            value={lists}
            onChange={(e) => setLists(e.target.value)}
          />
          {own.unread.length > 0 && (
            <ErrorLine>
              Neither a list nor words that mean the same: “{own.unread[0]}”. Write a name, a colon
              and its values, or put = between the words.
            </ErrorLine>
          )}
        </Chooser>
        <span className="ml-auto flex items-center gap-3">
          {onBack && <TextAction onClick={onBack}>Back to those made</TextAction>}
          <Button
            kind="main"
            disabled={pending}
            lacks={[
              there.length === 0 && {
                words: 'no dataset has working cases',
                to: `/briefs/${brief.id}/cases`,
              },
              there.length > 0 && look.isSuccess && n === 0 && 'no kind is ticked that can be made',
              look.isError && inWords(look.error),
            ]}
            onClick={go}
          >
            Make {n > 0 ? plural(n, 'twin') : 'twins'}
          </Button>
        </span>
      </p>
      {look.isError && <ErrorLine>{inWords(look.error)}</ErrorLine>}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {look.isPending && there.length > 0 && <Waiting what="the kinds" />}
      <Kinds kinds={kinds} without={without} onWithout={setWithout} />
    </section>
  )
}

type KindsProps = { kinds: Kind[]; without: string[]; onWithout: (kinds: string[]) => void }

/** Every kind with how many come of it, what they expect, and one of them. */
function Kinds({ kinds, without, onWithout }: KindsProps) {
  if (kinds.length === 0) return null
  const none = kinds.filter((k) => k.n === 0)
  return (
    <>
      <table className="mt-3 w-full border-t border-rule-strong text-sm">
        <caption className="sr-only">Kinds of twins</caption>
        <tbody>
          {kinds
            .filter((k) => k.n > 0)
            .map((k) => (
              <tr key={k.kind} className="border-b border-rule align-baseline">
                <td className="w-64 py-1 pr-3">
                  <label className="flex items-baseline gap-2">
                    <input
                      type="checkbox"
                      checked={!without.includes(k.kind)}
                      onChange={(e) =>
                        onWithout(
                          e.target.checked
                            ? without.filter((w) => w !== k.kind)
                            : [...without, k.kind],
                        )
                      }
                    />
                    <span>
                      {k.what}
                      <span className="block text-xs text-soft">
                        {k.expects.map((e) => EXPECTED[e as keyof typeof EXPECTED]).join(', or ')}
                      </span>
                    </span>
                  </label>
                </td>
                <td className="w-12 py-1 pr-3 text-right font-mono text-xs">{count(k.n)}</td>
                <td className="py-1 font-serif leading-snug">
                  {k.example && (
                    <>
                      <span className="font-sans text-xs text-soft">case {k.example.case}: </span>
                      <WordChanges words={k.example.words} />
                    </>
                  )}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
      {none.length > 0 && (
        <p className="mt-2 text-xs text-soft">
          None of these can be made:{' '}
          {none.map((k) => `${k.what} (${k.unmade.map((u) => u.why).join('; ')})`).join(' · ')}
        </p>
      )}
    </>
  )
}
