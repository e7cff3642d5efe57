import { useState, type ReactNode } from 'react'
import { useSearchParams } from 'react-router'
import { inWords } from '@/api/client'
import { type Wanted, useReading } from '@/api/reviews'
import { Empty, ErrorLine, Waiting } from '@/parts/controls'
import { useFrame } from '../frame'
import { AmendView } from './amend/AmendView'
import { PairsView } from './pairs/PairsView'
import { RoundsView } from './rounds/RoundsView'
import { Reader } from './Reader'
import { ReviewNav, type View } from './ReviewNav'

/** Review: answers read blind, one by one or in pairs, then what was said turned into amendments. */
export function ReviewStage() {
  const { brief } = useFrame()
  const [search, setSearch] = useSearchParams()
  const asked = search.get('view')
  const view: View =
    asked === 'faults' || asked === 'pairs' || asked === 'rounds' ? asked : 'reading'
  const show = (next: View) => {
    if (next === 'reading') search.delete('view')
    else search.set('view', next)
    setSearch(search)
  }
  const nav = <ReviewNav view={view} show={show} />
  if (view === 'faults') return <AmendView nav={nav} />
  if (view === 'pairs') return <PairsView nav={nav} />
  if (view === 'rounds') return <RoundsView nav={nav} />
  return <Reading brief={brief.id} nav={nav} />
}

function Reading({ brief, nav }: { brief: number; nav: ReactNode }) {
  const [wanted, setWanted] = useState<Wanted>({ trial: null, arm: null, tag: '', order: '' })
  const reading = useReading(brief, wanted)
  if (reading.isPending)
    return (
      <div className="px-6">
        <Waiting what="what there is to read" />
      </div>
    )
  if (reading.isLoadingError)
    return (
      <div className="p-6">
        <ErrorLine>{inWords(reading.error)}</ErrorLine>
      </div>
    )
  if (reading.data.trial === null || reading.data.queue.length === 0) {
    return (
      <div className="px-6 pt-4">
        {nav}
        <Empty title="Nothing to read yet.">
          When a trial has ended, its answers come here in a random order.
        </Empty>
      </div>
    )
  }
  return (
    <Reader
      key={JSON.stringify([wanted, reading.data.trial])}
      reading={reading.data}
      wanted={wanted}
      onWanted={setWanted}
      nav={nav}
    />
  )
}
