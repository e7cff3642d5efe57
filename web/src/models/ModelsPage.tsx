import { useState } from 'react'
import { inWords } from '@/api/client'
import { useConnections } from '@/api/connections'
import { useKeys } from '@/keys/useKeys'
import { Button, Empty, ErrorLine, Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import { ConnectionForm } from './ConnectionForm'
import { ConnectionSection } from './ConnectionSection'
import { ModelForm } from './ModelForm'
import type { Opened } from './opened'
import { OfferedModels } from './OfferedModels'
import { TestCall } from './TestCall'

/** Models: where calls go, what can be called there, at what price, and how it has been doing. */
export function ModelsPage() {
  const connections = useConnections()
  const [opened, setOpened] = useState<Opened | null>(null)
  const close = () => setOpened(null)
  useKeys({ 'models.add': () => setOpened({ kind: 'connection', of: null }) })
  return (
    <main className="mx-auto w-full max-w-[1240px] flex-1 overflow-y-auto px-6 py-6">
      <div className="flex items-end justify-between border-b-2 border-ink pb-3">
        <h1 className="text-2xl">Models</h1>
        <Button kind="main" onClick={() => setOpened({ kind: 'connection', of: null })}>
          New connection…
        </Button>
      </div>
      {connections.isError && <ErrorLine>{inWords(connections.error)}</ErrorLine>}
      {connections.isPending && <Waiting what="the connections" />}
      {connections.data?.length === 0 && (
        <Empty title="No connection yet.">
          A connection is a server that speaks the chat-completions interface or the Open Inference
          Protocol: a base URL, and a key where one is needed.
        </Empty>
      )}
      {connections.data?.map((c) => (
        <ConnectionSection key={c.id} connection={c} open={setOpened} />
      ))}
      <Overlay
        open={opened !== null}
        onOpenChange={(o) => !o && close()}
        title={opened ? title(opened) : ''}
      >
        {opened?.kind === 'connection' && (
          <ConnectionForm
            of={opened.of}
            close={close}
            offered={(at) => setOpened({ kind: 'offered', at })}
          />
        )}
        {opened?.kind === 'model' && <ModelForm at={opened.at} of={opened.of} close={close} />}
        {opened?.kind === 'offered' && <OfferedModels at={opened.at} close={close} />}
        {opened?.kind === 'test' && <TestCall model={opened.of} />}
      </Overlay>
    </main>
  )
}

function title(opened: Opened): string {
  switch (opened.kind) {
    case 'connection':
      return opened.of ? `Change ${opened.of.name}` : 'New connection'
    case 'model':
      return opened.of ? `Change ${opened.of.name}` : `New model at ${opened.at.name}`
    case 'offered':
      return `What ${opened.at.name} offers`
    case 'test':
      return `Test ${opened.of.name}`
  }
}
