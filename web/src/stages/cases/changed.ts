/** Two texts as what they share before, what is other in each, and what they share at the end. */
export function changedSpan(was: string, now: string) {
  const [a, b] = [[...was], [...now]]
  let start = 0
  while (start < Math.min(a.length, b.length) && a[start] === b[start]) start++
  let end = 0
  while (
    end < Math.min(a.length, b.length) - start &&
    a[a.length - 1 - end] === b[b.length - 1 - end]
  )
    end++
  return {
    same: a.slice(0, start).join(''),
    before: a.slice(start, a.length - end).join(''),
    after: b.slice(start, b.length - end).join(''),
    end: end ? a.slice(a.length - end).join('') : '',
  }
}
