import type { Schemas } from '@/api/client'
import { saveVersion } from '@/api/versions'
import { useKeys } from '@/keys/useKeys'
import { Button } from '@/parts/controls'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { useRunLike } from '../trials/useRunLike'
import type { Report } from './useReport'
import { reasonsFor, wishedAt } from './wishes/reasons'
import { toRows, type WorkingCopy } from './workingCopy'

type Props = {
  /** The trial whose arms and cases are run again. */
  like: number
  parent: number
  copy: WorkingCopy
  report: Report | undefined
  held: boolean
  onMade: (number: number) => void
}

/** Saves the text and runs the last plan with it beside its parent, in one press with the price on it. */
export function SaveAndRun({ like, parent, copy, report, held, onMade }: Props) {
  const { brief } = useFrame()
  const [wished] = useTyped<Schemas['ReasonShape'][]>(wishedAt(brief.id), [])
  const save = async () => {
    const made = await saveVersion(brief.id, {
      messages: toRows(copy).filter((m) => m.content !== ''),
      settings: copy.settings,
      parent,
      second_parent: copy.secondParent,
      note: '',
      origin: 'typed',
      reasons: reasonsFor(report, wished),
    })
    forgetTyped(wishedAt(brief.id))
    return made.number
  }
  // What two versions were brought together in is held against both, on all working cases.
  const other = copy.secondParent
  const also = other !== null && other !== parent ? { also: [other] } : {}
  const run = useRunLike({ like, parent, save, onMade, ...also })
  const go = () => !held && run.go()
  useKeys({ 'draft.save_and_run': go })
  if (!run.ready) return null
  return (
    <Button
      kind="main"
      disabled={run.disabled}
      lacks={[held && 'another draft is kept on the server: say first which one stands']}
      title={run.title}
      onClick={go}
    >
      Save and run, {run.price}
    </Button>
  )
}
