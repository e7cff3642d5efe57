import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { saveWithout } from '@/api/culprits'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine } from '@/parts/controls'
import { inAList } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { useRunLike } from '../../trials/useRunLike'
import { nameOf } from './useCulprits'

type Found = Schemas['SearchShape']
type Props = { found: Found; leave: string[] }

/** The newer version without what is ticked: saved, and tested on all working cases against both. */
export function SaveWithout({ found, leave }: Props) {
  const { brief } = useFrame()
  const navigate = useNavigate()
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const run = useRunLike({
    like: found.of,
    parent: found.newer,
    also: [found.older],
    save: async () => (await saveWithout(found.id, leave)).number,
    onMade: (_, trial) => {
      if (trial !== undefined) void navigate(`/briefs/${brief.id}/trials/${trial}`)
    },
  })
  const only = () =>
    void write(async () => {
      const made = await saveWithout(found.id, leave)
      void navigate(`/briefs/${brief.id}/draft?v=${made.number}`)
    })
  const names = inAList(
    found.shares
      .filter((s) => s.amendments.some((a) => leave.includes(a)))
      .map((s) => nameOf(found, s.amendments)),
  )
  const lacks = [
    leave.length === 0 && 'nothing is ticked above',
    leave.length === found.amendments.length &&
      `without all of them it would be v${found.older} again`,
  ]
  return (
    <>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="mt-3 flex flex-wrap items-center gap-3">
        {run.ready && (
          <Button
            kind="main"
            disabled={run.disabled}
            lacks={lacks}
            title={`on all working cases, against v${found.newer} and v${found.older}, whose answers are there`}
            onClick={run.go}
          >
            Save v{found.newer} without {names || '…'} and run, {run.price}
          </Button>
        )}
        <Button disabled={pending} lacks={lacks} onClick={only}>
          Only save it
        </Button>
        {found.saved.length > 0 && (
          <span className="text-xs text-soft">
            Made of it so far: {inAList(found.saved.map((n) => `v${n}`))}.
          </span>
        )}
      </p>
    </>
  )
}
