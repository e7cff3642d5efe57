import { lazy, Suspense } from 'react'
import { Waiting } from '@/parts/controls'
import { Overlay } from '@/parts/overlay'
import type { Questions } from './open/useQuestions'
import type { useCaseAt } from './useCaseAt'
import type { Report } from './useReport'
import type { WorkingCopy } from './workingCopy'
import type { Take } from './useDraft'

// What is opened less often than a text comes when it is.
const DraftFromBrief = lazy(async () => ({
  default: (await import('./open/DraftFromBrief')).DraftFromBrief,
}))
const CourseSheet = lazy(async () => ({
  default: (await import('./CourseSheet')).CourseSheet,
}))
const SaveVersion = lazy(async () => ({
  default: (await import('./SaveVersion')).SaveVersion,
}))
const SettingsSheet = lazy(async () => ({
  default: (await import('./SettingsSheet')).SettingsSheet,
}))
const FilesSheet = lazy(async () => ({ default: (await import('./FilesSheet')).FilesSheet }))
const QuestionsSheet = lazy(async () => ({
  default: (await import('./open/QuestionsSheet')).QuestionsSheet,
}))

export type Sheet = 'settings' | 'save' | 'files' | 'questions' | 'drafting' | 'course'

type Props = {
  sheet: Sheet | null
  close: () => void
  copy: WorkingCopy
  change: (make: (c: WorkingCopy) => WorkingCopy, what?: string) => void
  task: string
  errors: Record<string, string>
  changed: boolean
  number: number | null
  next: number
  report: Report | undefined
  cases: ReturnType<typeof useCaseAt>
  asking: Questions
  take: Take
  /** The text is safe in a version: nothing of it need be kept. */
  forget: () => void
  onMade: (number: number) => void
  course: WorkingCopy[]
  onBack: (copy: WorkingCopy) => void
}

/** What opens over the draft: saving, files, open questions, a text drafted from the brief. */
export function DraftSheets(props: Props) {
  const { sheet, close, copy, changed, number, next, report, cases, asking, take, forget } = props
  const shut = (open: boolean) => !open && close()
  return (
    <>
      <Overlay open={sheet === 'save'} onOpenChange={shut} title={`Save as v${next}`}>
        <Suspense fallback={<Waiting what="the form" />}>
          <SaveVersion
            copy={copy}
            parent={number}
            report={report}
            onSaved={(made) => {
              forget()
              close()
              props.onMade(made)
            }}
          />
        </Suspense>
      </Overlay>
      <Overlay
        open={sheet === 'settings'}
        onOpenChange={shut}
        title="Settings sent with this version"
        wide
      >
        <Suspense fallback={<Waiting what="the settings" />}>
          <SettingsSheet
            copy={copy}
            task={props.task}
            errors={props.errors}
            change={props.change}
            onDone={close}
          />
        </Suspense>
      </Overlay>
      <Overlay open={sheet === 'files'} onOpenChange={shut} title="Take along">
        <Suspense fallback={<Waiting what="the files" />}>
          <FilesSheet
            copy={copy}
            unsaved={changed}
            cases={cases}
            onDone={(made) => {
              close()
              props.onMade(made)
            }}
          />
        </Suspense>
      </Overlay>
      <Overlay open={sheet === 'questions'} onOpenChange={shut} title="Not yet decided" side>
        <Suspense fallback={<Waiting what="the questions" />}>
          <QuestionsSheet asking={asking} take={take} />
        </Suspense>
      </Overlay>
      <Overlay open={sheet === 'course'} onOpenChange={shut} title="The course of the text" side>
        <Suspense fallback={<Waiting what="the course" />}>
          <CourseSheet
            number={number}
            course={props.course}
            onBack={(copy) => {
              close()
              props.onBack(copy)
            }}
          />
        </Suspense>
      </Overlay>
      <Overlay open={sheet === 'drafting'} onOpenChange={shut} title="Have it written">
        <Suspense fallback={<Waiting what="the model’s part" />}>
          <DraftFromBrief
            onDone={(made) => {
              close()
              props.onMade(made)
            }}
          />
        </Suspense>
      </Overlay>
    </>
  )
}
