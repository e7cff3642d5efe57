import { datasetInHand } from '../../dataset'
import { useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useRefreshBrief } from '@/api/briefs'
import { inWords } from '@/api/client'
import { keepCase } from '@/api/datasets'
import { openAnswer } from '@/api/drafts'
import { saveVersion } from '@/api/versions'
import { Button, TextAction } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import { type Brief, useFrame } from '../../frame'
import { questionFor, withExample } from '../example'
import type { WorkingCopy } from '../workingCopy'
import type { Answer } from './useTries'

type Props = {
  brief: Brief
  copy: WorkingCopy
  answer: Answer
  modelName: string
  change: (make: (c: WorkingCopy) => WorkingCopy) => void
}

/** What an answer is good for beyond reading: a case, a worked example, a prompt of its own. */
export function AnswerActions({ brief, copy, answer, modelName, change }: Props) {
  const { setInHand, inHand } = useFrame()
  const refresh = useRefreshBrief(brief.id)
  const cache = useQueryClient()
  const [keeping, setKeeping] = useState(false)
  const place = `case of answer to ${brief.id} ${modelName}`
  const [reference, setReference] = useTyped(place, answer.text)
  const [said, setSaid] = useState('')
  const dataset = datasetInHand(brief)
  const act = async (work: () => Promise<string>) => {
    try {
      setSaid(await work())
    } catch (error) {
      setSaid(inWords(error))
    }
  }
  const keepAsCase = () =>
    act(async () => {
      const kept = await keepCase(dataset?.id ?? 0, {
        inputs: answer.inputs,
        reference: reference === '' ? null : reference,
        tags: [],
        split: 'working',
      })
      setKeeping(false)
      forgetTyped(place)
      refresh()
      void cache.invalidateQueries({ queryKey: ['cases'] })
      return `Kept as case ${kept.number}.`
    })
  const keepExample = () =>
    act(async () => {
      const question = await questionFor(copy, answer.inputs)
      change((c) => withExample(c, question, answer.text))
      return 'It stands in the text as a worked example.'
    })
  const openAsVersion = () =>
    act(async () => {
      const opened = await openAnswer({ text: answer.text })
      const made = await saveVersion(brief.id, {
        messages: opened.messages,
        settings: {},
        parent: null,
        second_parent: null,
        origin: 'drafted',
        note: `written by ${modelName}${inHand === null ? '' : ` when v${inHand} was tried`}`,
      })
      refresh()
      setInHand(made.number)
      return ''
    })
  return (
    <div className="mt-1 text-xs">
      <span className="flex flex-wrap gap-x-3 gap-y-1">
        {dataset && (
          <TextAction light onClick={() => setKeeping(!keeping)}>
            As a case…
          </TextAction>
        )}
        <TextAction light onClick={() => void keepExample()}>
          As a worked example
        </TextAction>
        <TextAction
          light
          title="for prompts that write prompts"
          onClick={() => void openAsVersion()}
        >
          Make it a prompt
        </TextAction>
      </span>
      {keeping && (
        <form
          className="mt-1 grid gap-1"
          onSubmit={(e) => {
            e.preventDefault()
            void keepAsCase()
          }}
        >
          <label className="text-soft" htmlFor={`ref-${answer.key}`}>
            The answer it should get; leave empty for none
          </label>
          <textarea
            id={`ref-${answer.key}`}
            rows={3}
            className="w-full rounded-sm border border-rule-strong bg-sheet p-1 font-mono text-xs"
            value={reference}
            onChange={(e) => setReference(e.target.value)}
          />
          <span>
            <Button small type="submit">
              Keep in {dataset?.name}, working
            </Button>
          </span>
        </form>
      )}
      {said && (
        <p role="status" className="mt-1 text-soft">
          {said}
        </p>
      )}
    </div>
  )
}
