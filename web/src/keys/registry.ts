/**
 * Every key of the page, once: handlers, hints beside buttons, the sheet of keys and the palette are
 * all made from this. A chord is written as it is shown: 'Ctrl K', 'Alt S', 'J'; Ctrl is Cmd as well.
 */
export type Key = {
  where: Where
  /** Any of these; none for what the palette alone does. */
  chords: readonly string[]
  says: string
  /** Its name in the palette, where it can be done from there while its screen is open. */
  command?: string
  /** Where the palette goes first when its screen is not open; {brief} stands for the brief's id. */
  at?: string
  /** Keys of the page rest while one types; 'editor': not in the prompt's text; 'always': nowhere. */
  typing?: 'editor' | 'always'
}

const WHERE = [
  'Everywhere',
  'Draft',
  'Cases',
  'References',
  'Trial board',
  'Verdict',
  'Open answer',
  'Review',
  'Pairs',
  'Do',
] as const
export type Where = (typeof WHERE)[number]

const key = (where: Where, chords: string[], says: string, more: Partial<Key> = {}): Key => ({
  where,
  chords,
  says,
  ...more,
})

export const KEYS = {
  find: key('Everywhere', ['Ctrl K'], 'find a brief, trial, case or answer, or do something', {
    typing: 'always',
  }),
  keys: key('Everywhere', ['?'], 'this sheet', { command: 'Show every key' }),
  margin: key('Everywhere', ['M'], 'the margin, where the window is narrow'),
  help: key('Everywhere', [], 'the guide, chapter by chapter', {
    command: 'Help: the guide, chapter by chapter',
    at: '/help',
  }),
  words: key('Everywhere', [], 'the words of this program', {
    command: 'Words: what each of them means',
  }),
  theme: key('Everywhere', [], 'light or dark', { command: 'Change between light and dark' }),

  'verdict.part1': key('Verdict', ['1'], 'price and time'),
  'verdict.part2': key('Verdict', ['2'], 'parts of the cases'),
  'verdict.part3': key('Verdict', ['3'], 'how sure, and by what test'),
  'verdict.part4': key('Verdict', ['4'], 'what the spread comes from'),

  next: key('Do', [], 'what comes next, in the margin, and away again', {
    command: 'What comes next',
  }),
  'draft.save': key('Draft', ['Ctrl S'], 'save as a new version', {
    typing: 'always',
    command: 'Save as a new version',
    at: '/briefs/{brief}/draft',
  }),
  'draft.undo': key('Draft', ['Ctrl Z'], 'undo', { typing: 'editor' }),
  'draft.redo': key('Draft', ['Ctrl Shift Z', 'Ctrl Y'], 'redo', { typing: 'editor' }),
  'draft.sent': key('Draft', ['Alt S'], 'exactly as sent, and back', { typing: 'always' }),
  'draft.wish': key('Draft', ['Alt W'], 'a wish: change it so that…', {
    typing: 'always',
    command: 'Change the text by wishes',
    at: '/briefs/{brief}/draft',
  }),
  'draft.read': key('Draft', ['Alt R'], 'how the text is read, and back', {
    typing: 'always',
    command: 'How the text is read',
    at: '/briefs/{brief}/draft',
  }),
  'draft.next_note': key('Draft', ['Alt ↓'], 'the next note in the margin', { typing: 'always' }),
  'draft.former_note': key('Draft', ['Alt ↑'], 'the note before', { typing: 'always' }),
  'draft.take_note': key('Draft', ['Alt T'], 'take what the note offers', { typing: 'always' }),
  'draft.leave_note': key('Draft', ['Alt L'], 'leave it', { typing: 'always' }),
  'draft.copy': key('Draft', ['Alt C'], 'copy the text as sent', {
    typing: 'always',
    command: 'Copy the text as sent',
    at: '/briefs/{brief}/draft',
  }),
  'draft.pinned': key('Draft', ['Alt P'], 'ask the kept cases', { typing: 'always' }),
  'draft.save_and_run': key('Draft', ['Ctrl Shift Enter'], 'save, and run the last plan with it', {
    typing: 'always',
  }),
  'draft.former_try': key('Draft', ['Alt ←'], 'the try before', { typing: 'always' }),
  'draft.later_try': key('Draft', ['Alt →'], 'the try after', { typing: 'always' }),
  'draft.region': key('Draft', ['F6'], 'text, answers and margin in turn', { typing: 'always' }),
  'draft.weights': key('Do', [], 'what each line of the text is worth', {
    command: 'What each line is worth',
    at: '/briefs/{brief}/draft',
  }),
  'draft.history': key('Draft', ['Alt H'], 'how the clause at the cursor came to be', {
    typing: 'always',
  }),
  'draft.try': key('Draft', ['Ctrl Enter'], 'ask', { typing: 'always' }),
  'draft.course': key('Do', [], 'the course of the text, state by state', {
    command: 'The course of the text, state by state',
    at: '/briefs/{brief}/draft',
  }),
  'draft.collection': key('Do', [], 'what was kept of answers', {
    command: 'Collection: what was kept of answers',
    at: '/briefs/{brief}/draft',
  }),
  'draft.files': key('Do', [], 'prompt files, the lineage and request code', {
    command: 'Prompt files in and out, request code',
    at: '/briefs/{brief}/draft',
  }),
  'draft.compose': key('Do', [], 'a first text from the brief', {
    command: 'Have the text written by a model',
    at: '/briefs/{brief}/draft',
  }),

  'cases.edit': key('Cases', ['Enter', 'F2'], 'edit the cell; typing replaces it'),
  'cases.more': key('Cases', ['Shift ↓'], 'choose more rows or cells'),
  'cases.all': key('Cases', ['Ctrl A'], 'choose every row'),
  'cases.copy': key('Cases', ['Ctrl C'], 'copy cells'),
  'cases.paste': key('Cases', ['Ctrl V'], 'lay copied cells, or rows of a spreadsheet, down'),
  'cases.empty': key('Cases', ['Del', 'Backspace'], 'empty the chosen cells'),
  'cases.undo': key('Cases', ['Ctrl Z'], 'undo'),
  'cases.redo': key('Cases', ['Ctrl Shift Z', 'Ctrl Y'], 'redo'),
  'cases.open': key('Cases', ['Ctrl Enter'], 'the whole case'),
  'cases.import': key('Do', [], 'take a file of cases in', {
    command: 'Import cases',
    at: '/briefs/{brief}/cases',
  }),
  'cases.write': key('Do', [], 'cases that a model proposes', {
    command: 'Propose cases',
    at: '/briefs/{brief}/cases',
  }),
  'cases.export': key('Do', [], 'the cases as a file', {
    command: 'Take the cases along',
    at: '/briefs/{brief}/cases',
  }),

  'references.take': key('References', ['T'], 'the answer shown is right: take it'),
  'references.write': key('References', ['E'], 'change it, or write what is right'),
  'references.skip': key('References', ['J'], 'next case, leaving this one as it is'),
  'references.before': key('References', ['K'], 'case before'),
  'references.first': key('References', ['1'], 'of two that differ, the first is right'),
  'references.second': key('References', ['2'], 'the second is right'),
  'references.both': key('References', ['3'], 'both are right'),

  'board.next': key('Trial board', ['↓'], 'next case'),
  'board.before': key('Trial board', ['↑'], 'case before'),
  'board.left': key('Trial board', ['←'], 'arm to the left'),
  'board.right': key('Trial board', ['→'], 'arm to the right'),
  'board.open': key('Trial board', ['Enter'], 'open the answer'),
  'board.worst': key('Trial board', ['W'], 'the lowest cases first, and back'),

  'answer.next': key('Open answer', ['↓'], 'next case of the selection'),
  'answer.before': key('Open answer', ['↑'], 'case before'),
  'answer.left': key('Open answer', ['←'], 'answer to the left'),
  'answer.right': key('Open answer', ['→'], 'answer to the right'),
  'answer.other': key('Open answer', [']'], 'another arm or repeat in its place'),
  'answer.otherBack': key('Open answer', ['['], 'the one before in its place'),
  'answer.many': key('Open answer', ['2–4'], 'how many stand side by side'),
  'answer.differences': key(
    'Open answer',
    ['D'],
    'differences to what is wanted, to each other, none',
  ),
  'answer.input': key('Open answer', ['I'], 'all of the input, or four lines'),
  'answer.good': key('Open answer', ['G'], 'mark it good'),
  'answer.usable': key('Open answer', ['U'], 'mark it usable'),
  'answer.bad': key('Open answer', ['B'], 'mark it bad'),
  'answer.comment': key('Open answer', ['C'], 'say what is wrong with it'),
  'answer.correct': key('Open answer', ['R'], 'put what is wanted right'),
  'answer.precedent': key('Open answer', ['P'], 'hold every version to it'),
  'answer.example': key('Open answer', ['E'], 'use it as a worked example of the draft'),
  'answer.keep': key('Open answer', ['K'], 'add its case to the kept cases'),
  'answer.again': key('Open answer', ['O'], 'ask it again'),
  'answer.copy': key('Open answer', ['T'], 'copy the answer'),
  'answer.csv': key('Open answer', ['V'], 'copy its table as CSV'),
  'answer.unmarked': key('Open answer', ['N'], 'next answer that is not marked'),
  'answer.answered': key('Open answer', ['Y'], 'one in doubt is an answer'),
  'answer.none': key('Open answer', ['X'], 'one in doubt is none'),
  'answer.close': key('Open answer', ['Esc'], 'all cases, with the same selection'),

  'review.good': key('Review', ['G'], 'good'),
  'review.usable': key('Review', ['U'], 'usable'),
  'review.bad': key('Review', ['B'], 'bad'),
  'review.fixed': key('Review', ['X'], 'what was wrong with the former answer is put right'),
  'review.still': key('Review', ['S'], 'it is still so'),
  'review.worse': key('Review', ['W'], 'it is worse than before'),
  'review.words': key('Review', [']'], 'choose the next words of the answer'),
  'review.wordsBack': key('Review', ['['], 'choose the words before'),
  'review.comment': key('Review', ['C'], 'comment, on the words chosen or the whole'),
  'review.fault': key('Review', ['F'], 'name a kind of fault'),
  'review.kind': key('Review', ['1–9'], 'the kinds of fault known so far'),
  'review.better': key('Review', ['E'], 'write a better answer'),
  'review.precedent': key('Review', ['P'], 'make the mark a precedent'),
  'review.undo': key('Review', ['Z'], 'take the last mark back'),
  'review.next': key('Review', ['J'], 'next answer'),
  'review.before': key('Review', ['K'], 'answer before'),

  'pairs.left': key('Pairs', ['←'], 'the left one is better'),
  'pairs.right': key('Pairs', ['→'], 'the right one is better'),
  'pairs.alike': key('Pairs', ['↓'], 'they are alike'),
  'pairs.reason': key('Pairs', ['C'], 'say why'),
  'pairs.next': key('Pairs', ['J'], 'next pair'),
  'pairs.before': key('Pairs', ['K'], 'pair before'),

  'desk.brief': key('Do', [], 'begin a brief', { command: 'Begin a new brief', at: '/' }),
  'models.add': key('Do', [], 'add a server of models', {
    command: 'Add a connection and its models',
    at: '/models',
  }),
} satisfies Record<string, Key>

export type KeyName = keyof typeof KEYS

/** The keys as the sheet shows them, by where they work; what has no key stands in the palette alone. */
export function sheet(): { where: Where; rows: [KeyName, Key][] }[] {
  const all = Object.entries(KEYS) as [KeyName, Key][]
  return WHERE.map((where) => ({
    where,
    rows: all.filter(([, k]) => k.where === where && k.chords.length > 0),
  })).filter((part) => part.rows.length > 0)
}

const NAMED: Record<string, string> = {
  '←': 'arrowleft',
  '→': 'arrowright',
  '↓': 'arrowdown',
  '↑': 'arrowup',
  Del: 'delete',
  Esc: 'escape',
}

export type Press = {
  key: string
  ctrlKey: boolean
  metaKey: boolean
  altKey: boolean
  shiftKey: boolean
}

/** Whether a press is the key of this name. */
export function isKey(press: Press, name: KeyName): boolean {
  return KEYS[name].chords.some((chord) => isChord(press, chord))
}

function isChord(press: Press, chord: string): boolean {
  const parts = chord.split(' ')
  const last = parts.at(-1) ?? ''
  const wants = (name: string) => parts.slice(0, -1).includes(name)
  if ((press.ctrlKey || press.metaKey) !== wants('Ctrl') || press.altKey !== wants('Alt'))
    return false
  // A sign that needs Shift on one keyboard does not on another: Shift counts beside Ctrl alone.
  if (wants('Ctrl') && press.shiftKey !== wants('Shift')) return false
  if (last === '1–9') return /^[1-9]$/.test(press.key)
  if (last === '2–4') return /^[2-4]$/.test(press.key)
  return press.key.toLowerCase() === (NAMED[last] ?? last.toLowerCase())
}

/** A key as the text editor names it: 'Alt H' is 'Alt-h' there. */
export function editorKey(name: KeyName): string {
  const parts = (KEYS[name].chords[0] ?? '').replace('Ctrl', 'Mod').split(' ')
  return [...parts.slice(0, -1), parts.at(-1)?.toLowerCase()].join('-')
}
