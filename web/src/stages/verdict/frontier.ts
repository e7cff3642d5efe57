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

type Mark = { x: number; y: number; text: string }
type Box = { left: number; right: number; top: number; bottom: number }

const LETTER = { width: 7, height: 11 }
const SQUARE = 6

/** Where each mark's letter stands beside its square, so that none lies on another letter or square. */
export function labelsApart(marks: Mark[]): { dx: number; dy: number }[] {
  const taken: Box[] = marks.map((m) => around(m.x, m.y, SQUARE))
  return marks.map((m) => {
    const width = m.text.length * LETTER.width
    const tried = [12, 22, 34].flatMap((far) => [
      { dx: far / 2, dy: -far / 2 },
      { dx: -width - far / 2, dy: -far / 2 },
      { dx: far / 2, dy: far / 2 + 9 },
      { dx: -width - far / 2, dy: far / 2 + 9 },
      { dx: far, dy: 4 },
      { dx: -width - far, dy: 4 },
    ])
    const free = tried.find((at) => !taken.some((b) => overlap(b, boxOf(m, at, width))))
    const at = free ?? { dx: 6, dy: -6 }
    taken.push(boxOf(m, at, width))
    return at
  })
}

function around(x: number, y: number, half: number): Box {
  return { left: x - half, right: x + half, top: y - half, bottom: y + half }
}

function boxOf(m: Mark, at: { dx: number; dy: number }, width: number): Box {
  const [left, bottom] = [m.x + at.dx, m.y + at.dy]
  return { left, right: left + width, top: bottom - LETTER.height + 2, bottom }
}

function overlap(a: Box, b: Box): boolean {
  return a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom
}
