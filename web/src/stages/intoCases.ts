import { createDataset, editCases } from '@/api/datasets'
import type { Body } from '@/api/client'
import { datasetInHand } from './dataset'
import type { Brief } from './frame'

type Edits = NonNullable<Body<'edit_cases'>>['edits']

/** Further working cases in the dataset in hand, or in a first one that needs no name; what it is called. */
export async function intoCases(
  brief: Brief,
  columns: string[],
  edits: NonNullable<Edits>,
  why: string,
): Promise<string> {
  const there = datasetInHand(brief)
  const dataset = there ?? (await createDataset(brief.id, {}))
  await editCases(dataset.id, { columns, kinds: {}, edits, why })
  return there?.name ?? 'the first dataset'
}
