import { useSearchParams } from 'react-router'
import { inWords } from '@/api/client'
import { useReading } from '@/api/queries'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { useFrame } from '../BriefFrame'
import { AmendView } from './amend/AmendView'
import { Reader } from './Reader'

/** Review: answers read blind and marked, then what was said turned into amendments. */
export function ReviewStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const amending = search.get('view') === 'faults'
  const show = (view: 'reading' | 'faults') => {
    if (view === 'faults') search.set('view', 'faults')
    else search.delete('view')
    setSearch(search)
  }
  return amending ? <AmendView onRead={() => show('reading')} /> : <Reading brief={brief.id} onFaults={() => show('faults')} />
}

function Reading({ brief, onFaults }: { brief: number; onFaults: () => void }) {
  const reading = useReading(brief)
  if (reading.isPending) return <div className="px-6"><Waiting what="what there is to read" /></div>
  if (reading.isError) return <div className="p-6"><ErrorLine>{inWords(reading.error)}</ErrorLine></div>
  if (reading.data.trial === null || reading.data.queue.length === 0) {
    return (
      <div className="px-6">
        <Empty title="Nothing to read yet.">When a trial has ended, its answers come here in a random order.</Empty>
      </div>
    )
  }
  return <Reader key={reading.data.trial} reading={reading.data} onFaults={onFaults} />
}
