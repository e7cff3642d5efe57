import type { Schemas } from '@/api/client'

type Dataset = Schemas['DatasetShape']
type Brief = { id: number; datasets: Dataset[] }

const place = (brief: number) => `nomikon dataset ${brief}`

/** The dataset chosen for a brief, which every stage of this tab goes by. */
export function keepDataset(brief: number, dataset: number): void {
  try {
    window.sessionStorage.setItem(place(brief), String(dataset))
  } catch {
    // The browser keeps nothing: the first dataset is gone by.
  }
}

/** The dataset in hand: the one chosen, else the first that holds cases and is not put away. */
export function datasetInHand(brief: Brief): Dataset | undefined {
  const kept = Number(window.sessionStorage.getItem(place(brief.id)))
  const there = brief.datasets.filter((d) => !d.archived)
  return (
    there.find((d) => d.id === kept) ??
    there.find((d) => d.working + d.held_out > 0) ??
    there[0] ??
    brief.datasets[0]
  )
}
