import type { Schemas } from '@/api/client'
import { asText } from '@/parts/text'

export type Case = Schemas['CaseShape']
export type EditBody = Schemas['EditShape']
export type Kind =
  | 'text'
  | 'long-text'
  | 'number'
  | 'label'
  | 'json'
  | 'conversation'
  | 'reference'
  | 'split'
  | 'tags'
  | 'source'
export type Column = { key: string; name: string; kind: Kind }
export type Cell = { row: number; column: number }
export type Range = { top: number; bottom: number; left: number; right: number }

/** Keys of the columns that are no inputs; the server knows the same. */
export const REFERENCE = '#reference'
export const SPLIT = '#split'
export const TAGS = '#tags'
export const SOURCE = '#source'
export const NUMBER = '#number'
export const CONVERSATION = '#conversation'

export const SOURCE_COLUMN: Column = { key: SOURCE, name: 'Source', kind: 'source' }

export const KIND_WORDS: Record<string, string> = {
  text: 'text',
  'long-text': 'long text',
  number: 'number',
  label: 'label',
  json: 'JSON',
}
export const KINDS = ['text', 'long-text', 'number', 'label', 'json'] as const

/** Least width in rem, and the share of what is left over. */
const WIDTHS: Record<Kind, [number, number]> = {
  text: [10, 2],
  'long-text': [16, 3],
  number: [6.5, 0],
  label: [8.5, 0],
  json: [11, 2],
  conversation: [14, 2],
  reference: [10, 1.6],
  split: [5.6, 0],
  tags: [9, 0],
  source: [9, 0],
}

/** The tracks of a row, and the width below which the grid scrolls sideways: head and rows must agree. */
export function layoutOf(columns: Column[], named: boolean): { template: string; width: string } {
  // Names of their own want more room than numbers.
  const first = named ? 6.4 : 3.4
  const least = columns.reduce((sum, c) => sum + WIDTHS[c.kind][0], first)
  const tracks = columns.map((c) => {
    const [rem, share] = WIDTHS[c.kind]
    return share ? `minmax(${rem}rem, ${share}fr)` : `${rem}rem`
  })
  return { template: `${first}rem ${tracks.join(' ')}`, width: `max(100%, ${least}rem)` }
}

/** The columns of a dataset in the order they are shown. */
export function columnsOf(
  names: string[],
  kinds: Record<string, string>,
  talks: boolean,
  sourced = false,
): Column[] {
  const inputs = names.map((n) => {
    const kind = (kinds[n] ?? 'text') as Kind
    return { key: n, name: n, kind }
  })
  const own: [string, string, Kind][] = [
    ...(talks ? [[CONVERSATION, 'Conversation', 'conversation'] as [string, string, Kind]] : []),
    [REFERENCE, 'Reference', 'reference'],
    [SPLIT, 'Part', 'split'],
    [TAGS, 'Tags', 'tags'],
  ]
  const shown = own.map(([key, name, kind]) => ({ key, name, kind }))
  return [...inputs, ...shown, ...(sourced ? [SOURCE_COLUMN] : [])]
}

/** A cell as text: what is shown, copied and edited. */
export function cellText(c: Case, column: Column): string {
  switch (column.key) {
    case REFERENCE:
      return c.reference ?? ''
    case SPLIT:
      return c.split
    case TAGS:
      return c.tags.join('; ')
    case SOURCE:
      return c.source
    case CONVERSATION:
      return conversationText(c.conversation)
    default:
      return asText(c.inputs[column.key])
  }
}

export function conversationText(told: unknown): string {
  if (told === null || told === undefined) return ''
  return JSON.stringify(told)
}

export function rangeOf(a: Cell, b: Cell): Range {
  return {
    top: Math.min(a.row, b.row),
    bottom: Math.max(a.row, b.row),
    left: Math.min(a.column, b.column),
    right: Math.max(a.column, b.column),
  }
}

export function within(r: Range, row: number, column: number): boolean {
  return row >= r.top && row <= r.bottom && column >= r.left && column <= r.right
}

/** Text of a spreadsheet's clipboard as cells: tabs part them, quotes keep breaks in one. */
export function parseClipboard(text: string): string[][] {
  const rows: string[][] = []
  let row: string[] = []
  let cell = ''
  let quoted = false
  const source = text.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  for (let i = 0; i < source.length; i++) {
    const ch = source[i]
    if (quoted) {
      if (ch === '"' && source[i + 1] === '"') {
        cell += '"'
        i++
      } else if (ch === '"') quoted = false
      else cell += ch
    } else if (ch === '"' && cell === '' && closes(source, i)) quoted = true
    else if (ch === '\t') {
      row.push(cell)
      cell = ''
    } else if (ch === '\n') {
      rows.push([...row, cell])
      row = []
      cell = ''
    } else cell += ch
  }
  rows.push([...row, cell])
  return rows
}

/** Whether a quote at this place opens a quoted cell, one that ends before a tab or a break. */
function closes(source: string, from: number): boolean {
  for (let i = from + 1; i < source.length; i++) {
    if (source[i] !== '"') continue
    if (source[i + 1] === '"') i++
    else return i + 1 === source.length || source[i + 1] === '\t' || source[i + 1] === '\n'
  }
  return false
}

/** Cells as a spreadsheet takes them. */
export function toClipboard(cells: string[][]): string {
  return cells
    .map((row) =>
      row.map((c) => (/["\t\n]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join('\t'),
    )
    .join('\n')
}

/** New texts of one case, by column, as the server takes them; null where it is no case any more. */
export function editOf(c: Case | null, texts: Map<Column, string>): EditBody {
  const body: EditBody = c ? { revision: c.revision } : {}
  const values: Record<string, string> = {}
  for (const [column, text] of texts) {
    if (column.key === REFERENCE) body.reference = text === '' ? null : text
    else if (column.key === SPLIT) body.split = splitOf(text)
    else if (column.key === TAGS)
      body.tags = text
        .split(';')
        .map((t) => t.trim())
        .filter(Boolean)
    else if (column.key === SOURCE) body.source = text
    else if (column.key === CONVERSATION) body.conversation = text.trim() === '' ? null : told(text)
    else values[column.key] = text
  }
  if (Object.keys(values).length) body.values = values
  return body
}

function told(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    // Not JSON: the server says what a conversation looks like.
    return text
  }
}

/** Common spellings of the two parts; anything else goes to the server, which says what is allowed. */
function splitOf(text: string): string {
  const plain = text.trim().toLowerCase().replace(/[ _]/g, '-')
  return plain === 'heldout' ? 'held-out' : plain
}

export type Done = Schemas['EditedRow']

/** The edits that put back what these did. */
export function undoOf(rows: Done[]): EditBody[] {
  return rows.map(({ before, case: now }) => ({
    ...(now ? { revision: now.revision } : {}),
    ...(before
      ? { put_back: before.revision, split: before.split, position: before.position }
      : { out: true }),
  }))
}
