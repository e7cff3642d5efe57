import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useRefreshBrief } from '@/api/briefs'
import { inWords } from '@/api/client'
import { correctReference } from '@/api/datasets'
import { keepPiece, openAnswer, piecesQuery } from '@/api/drafts'
import { annotateVersion, saveVersion } from '@/api/versions'
import { TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { useFrame } from '../../../frame'
import { questionFor, withExample } from '../../example'
import { addStep } from '../../workingCopy'
import type { WayProps } from '../regionParts'
import type { Shown, Tried } from '../useAsking'
import { AsCase } from './AsCase'
import { itemsIn } from './pieces'
import { TenMore } from './TenMore'

type Props = {
  shown: Shown
  label: string
  way: WayProps
  tried: Tried
  /** Words of the answer that are marked; "" for none. */
  marked: string
}
type Done = { words: string; undo?: () => void; open?: () => void }

/** What an answer is good for beyond reading: as a whole, its marked words, or one item of its list. */
export function FeedOn({ shown, label, way, tried, marked }: Props) {
  const { brief, cases } = way
  const items = itemsIn(shown.answer.text)
  const [part, setPart] = useState(marked ? 'marked' : 'whole')
  const [caseOpen, setCaseOpen] = useState(false)
  const text =
    part === 'marked' && marked
      ? marked
      : part === 'whole' || part === 'marked'
        ? shown.answer.text
        : (items[Number(part)] ?? shown.answer.text)
  const { done, setDone, intoStep, asExample, collect, asWanted, asPrompt, goOn } = useFeed(
    { shown, way, tried },
    text,
  )
  const isOfCase = tried.case !== null && cases.chosen?.number === tried.case
  return (
    <div className="mt-1 border-l-2 border-rule pl-3 text-xs">
      {(items.length > 0 || marked) && (
        <label className="mb-1 flex items-center gap-2 text-soft">
          Feed on
          <select
            aria-label="Which part of the answer"
            className="h-6 min-w-0 max-w-72 rounded-sm border border-rule-strong bg-sheet px-1"
            value={part}
            onChange={(e) => setPart(e.target.value)}
          >
            <option value="whole">the whole answer</option>
            {marked && <option value="marked">the marked words: “{marked.slice(0, 40)}”</option>}
            {items.map((item, i) => (
              <option key={i} value={i}>
                item {i + 1}: {item.slice(0, 40)}
              </option>
            ))}
          </select>
        </label>
      )}
      <span className="flex flex-wrap gap-x-3 gap-y-1">
        {tried.step === '' && (
          <TextAction light onClick={intoStep}>
            Into a next step
          </TextAction>
        )}
        <TextAction light aria-expanded={caseOpen} onClick={() => setCaseOpen(!caseOpen)}>
          As a case…
        </TextAction>
        {isOfCase && (
          <TextAction light onClick={() => void asWanted()}>
            As what is wanted of case {tried.case}
          </TextAction>
        )}
        <TextAction light onClick={() => void asExample()}>
          As a worked example
        </TextAction>
        <TextAction light onClick={() => void collect()}>
          Into the collection
        </TextAction>
        <TextAction light title="for prompts that write prompts" onClick={() => void asPrompt()}>
          Make it a prompt…
        </TextAction>
        {tried.step === '' && tried.rows.length === 0 && (
          <TextAction light title="say something to it, and go on" onClick={goOn}>
            Talk on
          </TextAction>
        )}
      </span>
      {tried.rows.length === 0 && tried.step === '' && <TenMore {...{ shown, way, tried, text }} />}
      {caseOpen && (
        <AsCase
          brief={brief}
          text={text}
          items={items}
          inputs={shown.answer.inputs}
          place={`case of answer to ${brief.id} ${label}`}
          onDone={(words) => [setCaseOpen(false), setDone({ words })]}
        />
      )}
      {done && (
        <p role="status" className="mt-1 text-soft">
          {done.words}{' '}
          {done.open && (
            <TextAction light onClick={done.open}>
              Open it
            </TextAction>
          )}
          {done.undo && (
            <TextAction light onClick={done.undo}>
              Take it back
            </TextAction>
          )}
        </p>
      )}
    </div>
  )
}

/** What each of them does, and what came of the last. */
function useFeed({ shown, way, tried }: Pick<Props, 'shown' | 'way' | 'tried'>, text: string) {
  const { brief, copy, change, cases } = way
  const { setInHand, inHand } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [done, setDone] = useState<Done | null>(null)
  const act = async (work: () => Promise<Done>) => {
    try {
      setDone(await work())
    } catch (error) {
      setDone({ words: inWords(error) })
    }
  }
  const intoStep = () => {
    change((c) => ({ ...c, messages: addStep(c.messages) }))
    setDone({ words: 'A step was added that takes this answer as its input.' })
  }
  const asExample = () =>
    act(async () => {
      const question = await questionFor(copy, shown.answer.inputs)
      change((c) => withExample(c, question, text))
      return { words: 'It stands in the text as a worked example.' }
    })
  const collect = () =>
    act(async () => {
      const made = await keepPiece(brief.id, {
        text,
        source: { model: shown.name, try: tried.number, version: tried.version },
      })
      cache.setQueryData(piecesQuery(brief.id).queryKey, made)
      return {
        words: `Kept: the collection holds ${plural(made.length, 'piece')}.`,
        open: way.onCollection,
      }
    })
  const asWanted = () =>
    act(async () => {
      const wanted = cases.chosen
      if (!wanted) return { words: 'The case is not there any more.' }
      await correctReference(wanted.revision, {
        before: wanted.reference,
        reference: text,
        reason: `from the answer of ${shown.name}`,
      })
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases'] })
      return { words: `Case ${wanted.number} wants this answer from now on.` }
    })
  const asPrompt = () =>
    act(async () => {
      const opened = await openAnswer({ text })
      const made = await saveVersion(brief.id, {
        messages: opened.messages,
        settings: {},
        parent: null,
        second_parent: null,
        origin: 'drafted',
        note: `written by ${shown.name}${inHand === null ? '' : ` when v${inHand} was tried`}`,
      })
      const before = inHand
      refresh()
      setInHand(made.number)
      return {
        words: `It is v${made.number} now.`,
        undo: () =>
          void annotateVersion(brief.id, made.number, { archived: true }).then(() => {
            refresh()
            if (before !== null) setInHand(before)
            setDone({ words: `v${made.number} is put away.` })
          }),
      }
    })
  const goOn = () => {
    way.setForm({ to: 'talk', upto: null, turn: '' })
    way.asking.go(tried.number)
  }
  return { done, setDone, intoStep, asExample, collect, asWanted, asPrompt, goOn }
}
