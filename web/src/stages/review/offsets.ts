import { toCodePoint } from '@/parts/codepoints'

/** Where the selection lies in an element that holds just this text; null where it lies elsewhere. */
export function selectionIn(
  element: HTMLElement | null,
  text: string,
): { start: number; end: number } | null {
  const selection = window.getSelection()
  if (!element || !selection || selection.isCollapsed || selection.rangeCount === 0) return null
  const range = selection.getRangeAt(0)
  if (!element.contains(range.startContainer) || !element.contains(range.endContainer)) return null
  const before = range.cloneRange()
  before.selectNodeContents(element)
  before.setEnd(range.startContainer, range.startOffset)
  const start = before.toString().length
  const end = start + range.toString().length
  if (end <= start) return null
  return { start: toCodePoint(text, start), end: toCodePoint(text, end) }
}
