import type { Schemas } from '@/api/client'
import { count, score, signed } from '@/parts/numbers'
import { ScoreChip } from '@/parts/ScoreChip'
import { Word } from '@/parts/Word'

type Arm = Schemas['ArmOnBoard']

type Props = {
  arm: Arm
  trial: Schemas['TrialSummary']
  full: Schemas['ArmsInFull'] | undefined
  /** The arm whose measures stand beside. */
  reference: Arm | undefined
}

/** What an arm's total is made of: measure by measure beside another arm, marks, precedents, tokens. */
export function ArmWhy({ arm, trial, full, reference }: Props) {
  const own = full?.arms.find((a) => a.arm === arm.id)
  const other =
    reference && reference.id !== arm.id
      ? full?.arms.find((a) => a.arm === reference.id)
      : undefined
  if (!full || !own) return <p className="text-xs text-soft">Loading what it is made of…</p>
  const marks = own.marks.good + own.marks.usable + own.marks.bad
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_14rem] gap-6 max-[900px]:grid-cols-1">
      <table className="w-full self-start text-xs">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">measure</th>
            <th className="w-36 font-normal">
              {arm.name}, 95 % <Word of="interval" />
            </th>
            {other && <th className="w-20 font-normal">{reference?.name}</th>}
            {other && <th className="w-20 text-right font-normal">apart</th>}
          </tr>
        </thead>
        <tbody>
          {own.measures.map((m, i) => {
            const beside = other?.measures[i]
            return (
              <tr key={m.measure} className="border-t border-rule">
                <td className="py-0.5 break-words">{m.measure}</td>
                <td className="whitespace-nowrap">
                  <ScoreChip value={m.mean} />{' '}
                  {m.low !== null && (
                    <span className="font-mono text-soft">
                      {score(m.low)}–{score(m.high)}
                    </span>
                  )}
                </td>
                {other && (
                  <td>
                    <ScoreChip value={beside?.mean ?? null} />
                  </td>
                )}
                {other && (
                  <td className="text-right font-mono">
                    {m.mean !== null && beside?.mean != null ? signed(m.mean - beside.mean) : '–'}
                  </td>
                )}
              </tr>
            )
          })}
        </tbody>
      </table>
      <dl className="grid content-start gap-1 text-xs">
        <Row name="Marked">
          {marks
            ? `${own.marks.good} good, ${own.marks.usable} usable, ${own.marks.bad} bad`
            : 'nothing yet'}
        </Row>
        {full.precedents > 0 && (
          <Row name="Held answers">
            {own.held} kept, {own.broken} broken
          </Row>
        )}
        <Row name="Answers">
          {count(arm.n)} of {count(trial.n_cases * trial.repeats)}
        </Row>
        <Row name="Tokens">
          {count(arm.tokens_in)} in, {count(arm.tokens_out)} out
        </Row>
        <Row name="Settings">{arm.settings_short}</Row>
        {arm.unseen && <Row name="Unseen">{arm.unseen}</Row>}
      </dl>
    </div>
  )
}

function Row({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[5.5rem_minmax(0,1fr)] gap-2">
      <dt className="text-soft">{name}</dt>
      <dd className="break-words">{children}</dd>
    </div>
  )
}
