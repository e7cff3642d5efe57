import { lazy, Suspense } from 'react'
import type { Settings, WorkingCopy } from './workingCopy'

const SettingsRow = lazy(async () => ({
  default: (await import('../settings/SettingsRow')).SettingsRow,
}))

type Props = {
  copy: WorkingCopy
  task: string
  errors: Record<string, string>
  change: (make: (c: WorkingCopy) => WorkingCopy, what?: string) => void
}

/** The settings that go out with the text. */
export function VersionSettings({ copy, task, errors, change }: Props) {
  return (
    <>
      <h2 className="mt-6 mb-2 text-base">Settings sent with this version</h2>
      <Suspense fallback={null}>
        <SettingsRow
          settings={copy.settings}
          task={task}
          errors={errors}
          onChange={(settings: Settings) => change((c) => ({ ...c, settings }), 'settings')}
        />
      </Suspense>
    </>
  )
}
