/** The stages of a brief in working order. */
export const STAGES = [
  { stage: 'brief', label: 'Brief' },
  { stage: 'draft', label: 'Draft' },
  { stage: 'cases', label: 'Cases' },
  { stage: 'trials', label: 'Trials' },
  { stage: 'review', label: 'Review' },
  { stage: 'verdict', label: 'Verdict' },
] as const
