import { Key } from './controls'
import { Overlay } from './overlay'

const SHEET: { where: string; rows: [string[], string][] }[] = [
  {
    where: 'Everywhere',
    rows: [
      [['Ctrl', 'K'], 'find a brief, version, stage or page'],
      [['?'], 'this sheet'],
      [['Esc'], 'close what is open'],
    ],
  },
  {
    where: 'Draft',
    rows: [
      [['Ctrl', 'S'], 'save as a new version'],
      [['Ctrl', 'Z'], 'undo; with Shift, redo'],
      [['Alt', 'S'], 'the text as sent, and back'],
      [['Alt', 'C'], 'copy the text as sent'],
      [['Alt', 'P'], 'run the pinned cases'],
      [['Alt', 'H'], 'how the clause at the cursor came to be'],
      [['Ctrl', 'Enter'], 'try it'],
    ],
  },
  {
    where: 'Cases',
    rows: [
      [['Enter'], 'edit the cell; typing replaces it'],
      [['Shift', '↓'], 'choose more rows or cells'],
      [['Ctrl', 'C'], 'copy cells; Ctrl V lays them down'],
      [['Del'], 'empty the chosen cells'],
      [['Ctrl', 'Z'], 'undo; with Shift, redo'],
      [['Ctrl', 'Enter'], 'the whole case'],
    ],
  },
  {
    where: 'Trial board',
    rows: [
      [['J'], 'next case'],
      [['K'], 'case before'],
      [['H'], 'arm to the left'],
      [['L'], 'arm to the right'],
      [['Enter'], 'open the answer'],
      [['R'], 'put the reference right, in an open answer'],
      [['Y'], 'an open answer in doubt is an answer'],
      [['N'], 'an open answer in doubt is none'],
    ],
  },
  {
    where: 'Review',
    rows: [
      [['G'], 'good'],
      [['U'], 'usable'],
      [['B'], 'bad'],
      [['[', ']'], 'choose words of the answer'],
      [['C'], 'comment, on the words chosen or the whole'],
      [['F'], 'name a kind of fault; 1 to 9 the known ones'],
      [['E'], 'write a better answer'],
      [['Z'], 'take the last mark back'],
      [['J'], 'next answer'],
      [['K'], 'answer before'],
    ],
  },
  {
    where: 'Pairs',
    rows: [
      [['←'], 'the left one is better'],
      [['→'], 'the right one is better'],
      [['↓'], 'they are alike'],
    ],
  },
]

/** Every shortcut in one place. Letters act only while no text is being edited. */
export function ShortcutSheet({
  open,
  onOpenChange,
}: {
  open: boolean
  onOpenChange: (o: boolean) => void
}) {
  return (
    <Overlay open={open} onOpenChange={onOpenChange} title="Keys">
      <div className="grid grid-cols-2 gap-x-10 gap-y-5">
        {SHEET.map((part) => (
          <section key={part.where}>
            <h3 className="mb-1 text-base">{part.where}</h3>
            <dl>
              {part.rows.map(([keys, what]) => (
                <div
                  key={what}
                  className="flex items-baseline justify-between gap-3 border-b border-rule py-1"
                >
                  <dt className="flex gap-1">
                    {keys.map((k) => (
                      <Key key={k}>{k}</Key>
                    ))}
                  </dt>
                  <dd className="text-right text-sm text-soft">{what}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </Overlay>
  )
}
