import { useQueryClient } from '@tanstack/react-query'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { casesOf, takeBack } from '@/api/datasets'
import { useWrite } from '@/api/useWrite'
import { ErrorLine, TextAction } from '@/parts/controls'
import { useFrame } from '../frame'

/** The last import or change of many cases, as long as it can be taken back with one press. */
export function TakeBack({ dataset }: { dataset: Schemas['DatasetShape'] }) {
  const { brief } = useFrame()
  const cache = useQueryClient()
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  // What a trial has run on is no slip any more: it is changed, and not taken back by the way.
  if (dataset.taken_back === null || !dataset.open) return null
  const takeItBack = () =>
    write(async () => {
      await takeBack(dataset.id)
      await cache.invalidateQueries({ queryKey: casesOf(dataset.id) })
    })
  return (
    <span className="flex min-w-0 items-baseline gap-2 text-sm text-soft">
      <span className="truncate" title={dataset.taken_back}>
        {dataset.taken_back}
      </span>
      <TextAction light disabled={pending} onClick={() => void takeItBack()}>
        Take it back
      </TextAction>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </span>
  )
}
