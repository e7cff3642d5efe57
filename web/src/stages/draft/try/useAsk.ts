import { useState } from 'react'
import type { Schemas } from '@/api/client'
import type { Settings } from '../workingCopy'
import { useModels } from './ModelPicks'
import { useTries, type Result } from './useTries'

type Asked = Schemas['AlikeShape']

/** One request that a model answers in JSON: who is asked, what it is told, and what came. */
export function useAsk(brief: number, name: string) {
  const models = useModels()
  const { answers, run, running, stop } = useTries(brief)
  const [model, setModel] = useState<number | null>(null)
  // What a person made of the instruction; null while it is as it came.
  const [instruction, setInstruction] = useState<string | null>(null)
  const [asked, setAsked] = useState(0)
  const chosen = model ?? models.at(-1)?.id ?? null
  const ask = async (request: Asked, settings: Settings): Promise<Result | null> => {
    if (chosen === null) return null
    const key = `${name}${asked + 1}`
    setAsked(asked + 1)
    const messages = request.messages.map((m) =>
      m.role === 'system' && instruction !== null ? { ...m, content: instruction } : m,
    )
    const done = await run([
      {
        key,
        model: chosen,
        messages,
        settings,
        inputs: request.inputs,
        reference: null,
        repeat: asked,
      },
    ])
    return done[key]?.result ?? null
  }
  return {
    models,
    chosen,
    setModel,
    asked,
    ask,
    running,
    stop,
    answer: answers[`${name}${asked}`],
    modelName: models.find((m) => m.id === chosen)?.name ?? 'a model',
    /** The instruction as it will be sent. */
    told: (request: Asked | undefined) => instruction ?? request?.messages[0]?.content ?? '',
    setInstruction,
  }
}
