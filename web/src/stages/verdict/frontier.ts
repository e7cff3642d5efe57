type Point = { id: number; score: number; cost: number }

/** Ids of the points that no other is at least as good and as cheap as, and better in one of the two. */
export function frontierOf(points: Point[]): number[] {
  return points
    .filter((p) => !points.some((o) => o.score >= p.score && o.cost <= p.cost && (o.score > p.score || o.cost < p.cost)))
    .map((p) => p.id)
}
