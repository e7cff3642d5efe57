import { useState } from 'react'
import type { Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { leaveAmendments } from '@/api/versions'
import { codePointSplice } from '@/parts/codepoints'
import { count, plural } from '@/parts/numbers'
import { useFrame } from '../frame'
import { useQuestions } from './open/useQuestions'
import { useBroughtExample } from './useBroughtExample'
import { useCaseAt } from './useCaseAt'
import { useCopyAsSent } from './useCopyAsSent'
import { useReport } from './useReport'
import type { useWorkingCopy } from './useWorkingCopy'
import { fromRows, sameText, stepsOf, toRows, type WorkingCopy } from './workingCopy'

const KEPT = { kept: 'kept', keeping: 'keeping…', waiting: 'not kept yet' } as const

export type Take = (messages: Schemas['MessageShape'][], reason?: string) => void
type Given = {
  version: Schemas['VersionDetail'] | undefined
  work: ReturnType<typeof useWorkingCopy>
  copy: WorkingCopy
}

/** The text under work with all that is known of it, and what can be done to it. */
export function useDraft({ version, work, copy }: Given) {
  const { brief } = useFrame()
  const number = version?.number ?? null
  const { change } = work
  const changed = !sameText(copy, work.saved)
  // Compared with the version in hand while there are unsaved changes, else with its parent.
  const against = changed ? number : (version?.parent ?? null)
  const asking = useQuestions(brief.id, copy)
  const brought = useBroughtExample(copy, change)
  const cases = useCaseAt(brief)
  const report = useReport(brief, copy, against)
  const copying = useCopyAsSent(copy, cases)
  const { write, problem } = useWrite()
  const [story, setStory] = useState<number[] | null>(null)

  const putBack = async (ids: string[]) => {
    const parent = report?.parent
    if (parent === null || parent === undefined) return
    await write(async () => {
      const made = await leaveAmendments(brief.id, {
        parent,
        messages: toRows(copy),
        settings: copy.settings,
        leave: ids,
      })
      change(
        (c) => ({
          ...c,
          messages: fromRows(made.messages, c.messages),
          settings: made.settings,
        }),
        '',
        `put back as in v${parent}`,
      )
    })
  }
  const fix = (message: number, start: number, end: number, text: string, reason = '') =>
    change(
      (c) => ({
        ...c,
        messages: c.messages.map((m, i) =>
          i === message ? { ...m, content: codePointSplice(m.content, start, end, text) } : m,
        ),
      }),
      '',
      reason,
    )
  /** reason: what it is changed for. */
  const take: Take = (messages, reason = '') =>
    change((c) => ({ ...c, messages: fromRows(messages, c.messages) }), '', reason)

  const size = report
    ? `${report.clauses.length ? `${plural(report.clauses.length, 'clause')}, ` : ''}about ${count(report.tokens)} tokens`
    : ''
  const said = copying.words || (changed ? `${KEPT[work.keeping]} · ` : '') + size
  // What may stand between two braces: columns of the cases, what the text names already, its steps.
  const names = [
    ...new Set([
      ...Object.keys(cases.chosen?.inputs ?? {}),
      ...(report?.placeholders ?? []),
      ...stepsOf(copy.messages).map((s) => `steps.${s}`),
    ]),
  ]
  return {
    brief,
    number,
    names,
    next: (brief.versions.at(-1)?.number ?? 0) + 1,
    changed,
    against,
    asking,
    brought,
    cases,
    report,
    copyAsSent: copying.copyAsSent,
    problem,
    said,
    putBack,
    fix,
    take,
    story,
    setStory,
  }
}
