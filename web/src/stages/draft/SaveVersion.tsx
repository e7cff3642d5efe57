import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { saveVersion } from '@/api/versions'
import { Button, ErrorLine, Field } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import type { Report } from './useReport'
import { reasonsFor, wishedAt } from './wishes/reasons'
import { toRows, type WorkingCopy } from './workingCopy'

type Props = {
  copy: WorkingCopy
  parent: number | null
  report: Report | undefined
  onSaved: (n: number) => void
}

/** Save the text as a version, with a word on why. */
export function SaveVersion({ copy, parent, report, onSaved }: Props) {
  const { brief } = useFrame()
  const place = `version note ${brief.id} ${parent}`
  const [note, setNote] = useTyped(
    place,
    copy.secondParent ? `v${copy.secondParent} brought in` : '',
  )
  const [wished] = useTyped<Schemas['ReasonShape'][]>(wishedAt(brief.id), [])
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const save = () =>
    write(async () => {
      const made = await saveVersion(brief.id, {
        messages: toRows(copy).filter((m) => m.content !== ''),
        settings: copy.settings,
        parent,
        second_parent: copy.secondParent,
        note,
        origin: 'typed',
        reasons: reasonsFor(report, wished),
      })
      forgetTyped(place)
      forgetTyped(wishedAt(brief.id))
      onSaved(made.number)
    })
  const summary = report?.amendments.length
    ? `${plural(report.amendments.length, 'amendment')} against v${parent}, ${plural(report.kept, 'clause')} kept.`
    : ''
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <p className="text-sm text-soft">
        {summary} A version never changes once saved; this one becomes a child of{' '}
        {parent === null ? 'nothing: it is the first' : `v${parent}`}
        {copy.secondParent !== null && ` and v${copy.secondParent}`}.
      </p>
      <Field
        label="Note: what was changed and why"
        maxLength={300}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      {problem !== null && (
        <ErrorLine>
          {inWords(problem)}
          {problem instanceof Problem && problem.field ? ` (${fieldInWords(problem.field)})` : ''}
        </ErrorLine>
      )}
      <div>
        <Button kind="main" type="submit" disabled={busy}>
          Save the version
        </Button>
      </div>
    </form>
  )
}

function fieldInWords(field: string): string {
  const message = /^messages\.(\d+)/.exec(field)
  if (message) return `message ${Number(message[1]) + 1}`
  return field === 'messages' ? 'the text' : field
}
