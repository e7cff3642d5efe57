/** time: the interval of the median; two that overlap are as quick as each other for all that is known. */
export type Point = { id: number; score: number; cost: number; time: [number, number] }

/** Ids of the points that no other is at least as good, as cheap and as quick as, and better in one of the three. */
export function frontierOf(points: Point[]): number[] {
  const quicker = (o: Point, p: Point) => o.time[1] < p.time[0]
  const beats = (o: Point, p: Point) =>
    o.score >= p.score &&
    o.cost <= p.cost &&
    !quicker(p, o) &&
    (o.score > p.score || o.cost < p.cost || quicker(o, p))
  return points.filter((p) => !points.some((o) => beats(o, p))).map((p) => p.id)
}

/** Of points with a score and one figure that is better when small, those that nothing beats in both, by that figure. */
export function stairs<P extends { mean: number; at: number }>(points: P[]): P[] {
  const found: P[] = []
  for (const p of [...points].sort((a, b) => a.at - b.at || b.mean - a.mean)) {
    if (p.mean > (found.at(-1)?.mean ?? -Infinity)) found.push(p)
  }
  return found
}
