import type { Schemas } from '@/api/client'
import { Wording } from '../Wording'
import type { Consulting } from './useConsultation'

type Props = { consulting: Consulting; prepared: Schemas['PreparedShape'] }

/** The person's own words, what the program appends to them, and what the model is shown. */
export function WhatIsAsked({ consulting, prepared }: Props) {
  return (
    <div className="grid gap-2 border-l-2 border-rule-strong pl-3">
      <Wording of={consulting.role} text={consulting.words} onText={consulting.setInstruction} />
      <Locked title="Added by the program, so that the reply can be read">{prepared.form}</Locked>
      <Locked title={`Then it is shown this, about ${prepared.tokens} tokens in all`}>
        {prepared.shown}
      </Locked>
      <label className="flex items-center gap-2 text-sm">
        <input
          type="checkbox"
          checked={consulting.again}
          onChange={(e) => consulting.setAgain(e.target.checked)}
        />
        Where the reply cannot be read, ask once more with what is wrong with it (counted in the
        price)
      </label>
    </div>
  )
}

function Locked({ title, children }: { title: string; children: string }) {
  return (
    <div>
      <p className="text-xs font-semibold text-soft">{title}</p>
      {/* A scrolling region must be reachable by keyboard. */}
      <pre
        tabIndex={0}
        role="region"
        aria-label={title}
        className="max-h-48 overflow-y-auto bg-wash px-3 py-2 font-mono text-xs break-words whitespace-pre-wrap text-soft"
      >
        {children}
      </pre>
    </div>
  )
}
