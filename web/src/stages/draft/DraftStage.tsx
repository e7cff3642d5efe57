import { inWords, type Schemas } from '@/api/client'
import { useVersion } from '@/api/versions'
import { ErrorLine, Waiting } from '@/parts/controls'
import { useFrame } from '../frame'
import { Draft } from './Draft'
import { useWorkingCopy } from './useWorkingCopy'

/** Draft: the version in hand as a statute, with what is said about it beside each line. */
export function DraftStage() {
  const { brief, inHand } = useFrame()
  const version = useVersion(brief.id, inHand)
  if (inHand !== null && version.isPending)
    return (
      <div className="px-6">
        <Waiting what="the version" />
      </div>
    )
  if (version.isLoadingError) {
    return (
      <div className="p-6">
        <ErrorLine>{inWords(version.error)}</ErrorLine>
      </div>
    )
  }
  return <Opened key={`${brief.id}-${inHand ?? 'new'}`} version={version.data} />
}

function Opened({ version }: { version: Schemas['VersionDetail'] | undefined }) {
  const { brief } = useFrame()
  const work = useWorkingCopy(brief.id, version)
  if (work.error)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(work.error)}</ErrorLine>
      </div>
    )
  if (!work.copy)
    return (
      <div className="px-6">
        <Waiting what="what was typed last" />
      </div>
    )
  return <Draft version={version} work={work} copy={work.copy} />
}
