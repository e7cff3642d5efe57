import type { Schemas } from '@/api/client'

type Line = Pick<
  Schemas['LineShape'],
  'what' | 'brief' | 'subject' | 'subject_id' | 'about' | 'facts'
>

/** Where the thing is that a line tells of; null where there is no page for it. */
export function linkOf(line: Line): string | null {
  const about = line.about as { version?: number; trial?: number; output?: number }
  if (line.subject === 'connection' || line.subject === 'model') return '/models'
  if (line.subject === 'shelfentry') return '/shelf'
  if (line.brief === null) return null
  const brief = `/briefs/${line.brief}`
  switch (line.subject) {
    case 'version':
      return `${brief}/draft?v=${about.version}`
    case 'trial':
      return `${brief}/trials/${line.subject_id}`
    case 'weighing':
    case 'strike':
      return `${brief}/draft?v=${about.version}&view=Weights`
    case 'verdict':
      return `${brief}/verdict?trial=${about.trial}`
    case 'watch':
      return `${brief}/verdict`
    case 'mark':
      return `${brief}/trials/${about.trial}?output=${about.output}`
    case 'preference':
      return `${brief}/review?view=pairs`
    case 'precedent':
      return about.output
        ? `${brief}/trials/${about.trial}?output=${about.output}`
        : `${brief}/review`
    case 'rounds':
    case 'candidate':
      return `${brief}/review?view=rounds`
    case 'scorecard':
      return `${brief}/brief`
    case 'baseline':
      return `${brief}/cases?answers=${line.subject_id}`
    case 'dataset':
    case 'datasetversion':
    case 'case':
    case 'caserevision':
      return `${brief}/cases`
    case 'brief':
      if (
        line.what === 'draft.tried' ||
        line.what.startsWith('finding.') ||
        line.what.startsWith('question') ||
        line.what === 'versions.imported'
      )
        return `${brief}/draft`
      return `${brief}/brief`
    default:
      return `${brief}/draft`
  }
}
