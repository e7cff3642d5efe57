import type { ReactNode } from 'react'
import type { Schemas } from '@/api/client'
import { caseName } from '@/parts/caseName'
import { Chooser } from '@/parts/Chooser'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { CasePicker } from '../CasePicker'
import { SettingsVariants, type Variant, variantInWords } from '../try/SettingsVariants'
import type { useCaseAt } from '../useCaseAt'
import { ModelChooser, ToChoices } from './regionParts'
import { settingsInShort } from '../settingsInShort'
import type { Settings } from '../workingCopy'
import type { To } from './to'

const MOST_ANSWERS = 10
const SHORT = 16

type Props = {
  cases: ReturnType<typeof useCaseAt>
  to: To
  setTo: (to: To) => void
  chosen: number[]
  models: Schemas['ModelShape'][]
  mostModels: number
  onModels: (ids: number[]) => void
  /** What is set for the text itself. */
  settings: Settings
  variants: Variant[]
  onVariants: (v: Variant[]) => void
  many: number
  onMany: (n: number) => void
  /** A saved version that can be set beside. */
  parent: number | null
  besides: boolean
  onBesides: (on: boolean) => void
  /** Which steps are asked, where there are several. */
  steps: ReactNode
}

/** One sentence: to what, from which models, with which settings, how many answers. */
export function Asked(p: Props) {
  const { cases, to, models, chosen } = p
  const input = Object.values(cases.chosen?.inputs ?? {})
    .map(asText)
    .filter(Boolean)
    .join(' ')
  const short = input.length > SHORT ? `${input.slice(0, SHORT)}…` : input
  const words =
    to === 'typed'
      ? 'what I type'
      : cases.chosen
        ? `case ${caseName(cases.chosen)}, “${short}”`
        : 'no case yet'
  const own = settingsInShort(p.settings)
  const settings = [
    p.variants.length > 0
      ? `${own}, ${p.variants.map((v) => variantInWords(v.settings)).join(', ')}`
      : own,
    p.many > 1 && plural(p.many, 'answer') + ' each',
    p.besides && p.parent !== null && `beside v${p.parent}`,
  ]
  return (
    <span className="flex flex-wrap items-baseline gap-x-1.5">
      to
      <Chooser label="To what" words={words}>
        <div className="grid gap-3">
          <ToChoices to={to} setTo={p.setTo} />
          {to === 'case' && (
            <span className="flex items-center gap-2">
              <CasePicker cases={cases} />
            </span>
          )}
        </div>
      </Chooser>
      from
      <ModelChooser {...{ models, chosen }} most={p.mostModels} onModels={p.onModels} />
      <Chooser label="Settings" words={settings.filter(Boolean).join(', ')}>
        <div className="grid gap-3">
          <SettingsVariants variants={p.variants} onChange={p.onVariants} />
          <label className="flex items-center gap-2">
            <select
              aria-label="Answers each"
              className="h-7 rounded-sm border border-rule-strong bg-sheet px-1"
              value={p.many}
              onChange={(e) => p.onMany(Number(e.target.value))}
            >
              {Array.from({ length: MOST_ANSWERS }, (_, i) => (
                <option key={i}>{i + 1}</option>
              ))}
            </select>
            {p.many === 1 ? 'answer each' : 'answers each'}
          </label>
          {p.parent !== null && (
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={p.besides}
                onChange={(e) => p.onBesides(e.target.checked)}
              />
              also v{p.parent} as saved
            </label>
          )}
          {p.steps}
        </div>
      </Chooser>
    </span>
  )
}
