import { sheet } from '@/keys/registry'
import { Key } from './controls'
import { Overlay } from './overlay'

/** Every key in one place. Letters act only while no text is being edited. */
export function ShortcutSheet({
  open,
  onOpenChange,
}: {
  open: boolean
  onOpenChange: (o: boolean) => void
}) {
  return (
    <Overlay open={open} onOpenChange={onOpenChange} title="Keys" wide>
      <p className="mb-3 text-sm text-soft">
        Letters act only while no text is being edited; <Key>Esc</Key> leaves a field and closes
        what is open.
      </p>
      <div className="columns-2 gap-x-10">
        {sheet().map((part) => (
          <section key={part.where} className="mb-5 break-inside-avoid">
            <h3 className="mb-1 text-base">{part.where}</h3>
            <dl>
              {part.rows.map(([name, key]) => (
                <div
                  key={name}
                  className="flex items-baseline justify-between gap-3 border-b border-rule py-1"
                >
                  <dt className="flex shrink-0 gap-1">
                    {key.chords.map((chord, i) => (
                      <span key={chord} className="flex gap-1">
                        {i > 0 && <span className="text-xs text-soft">or</span>}
                        {chord.split(' ').map((cap) => (
                          <Key key={cap}>{cap}</Key>
                        ))}
                      </span>
                    ))}
                  </dt>
                  <dd className="text-right text-sm text-soft">{key.says}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
    </Overlay>
  )
}
