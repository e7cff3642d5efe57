import { useQuery } from '@tanstack/react-query'
import { filesQuery } from '@/api/datasets'
import { Choice } from '@/parts/controls'
import type { Chosen } from './useUpload'

type Props = { chosen: string; onFile: (file: Chosen | null) => void }

/** Files of the machine that the program runs on, which a dataset can be tied to. */
export function MachineFiles({ chosen, onFile }: Props) {
  const found = useQuery(filesQuery())
  if (!found.data) return null
  const { folder, files } = found.data
  if (files.length === 0)
    return (
      <p className="text-sm text-soft">
        A file that somebody keeps up to date? Put it, or a link to it, into{' '}
        <span className="font-mono text-xs break-all">{folder}</span>: then a dataset can be tied to
        it and is read again by one press.
      </p>
    )
  return (
    <Choice
      label={`Or a file of this machine, to be read again by one press (in ${folder})`}
      value={chosen}
      onChange={(e) => {
        const path = e.target.value
        onFile(path ? { path, name: path.split('/').at(-1) ?? path } : null)
      }}
    >
      <option value="">none</option>
      {files.map((f) => (
        <option key={f.path} value={f.path}>
          {f.path}
          {f.folder ? ' (a folder, its documents one case each)' : ''}
        </option>
      ))}
    </Choice>
  )
}
