import { Button } from '@/parts/controls'
import { SettingsRow } from '../settings/SettingsRow'
import type { Settings, WorkingCopy } from './workingCopy'

type Props = {
  copy: WorkingCopy
  task: string
  errors: Record<string, string>
  change: (make: (c: WorkingCopy) => WorkingCopy, what?: string) => void
  onDone: () => void
}

/** The settings that go out with the text: part of the version like the text itself. */
export function SettingsSheet({ copy, task, errors, change, onDone }: Props) {
  return (
    <div className="grid gap-3">
      <p className="text-sm text-soft">
        They are saved with the version and sent with every call of it. An empty field leaves it to
        the model.
      </p>
      <SettingsRow
        settings={copy.settings}
        task={task}
        errors={errors}
        onChange={(settings: Settings) => change((c) => ({ ...c, settings }), 'settings')}
      />
      <div>
        <Button onClick={onDone}>Done</Button>
      </div>
    </div>
  )
}
