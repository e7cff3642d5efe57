import type { Schemas } from '@/api/client'
import { inWords } from '@/api/client'
import { Chooser } from '@/parts/Chooser'
import { TextAction } from '@/parts/controls'
import { count, plural } from '@/parts/numbers'
import { ArmChoice } from './ArmChoice'
import { CaseFilter } from './CaseFilter'
import { asked, EVERYTHING, MARKS, ORDERS, type Order } from './selection'
import type { Answers } from './useAnswers'

type Props = {
  trial: Schemas['TrialSummary']
  answers: Answers
  tags: string[]
  labels: string[]
}

/** What is looked at, said in one sentence whose words are its choosers. */
export function SelectionSentence({ trial, answers, tags, labels }: Props) {
  const { selection: s, setSelection, found } = answers
  const told = asked(s)
  const n = found?.revisions.length ?? null
  const narrowed = told.length > 0 || s.mark !== ''
  const cases = !narrowed
    ? `all ${count(trial.n_cases)} cases`
    : n === null
      ? 'cases'
      : `${count(n)} of ${plural(trial.n_cases, 'case')}`
  return (
    <div className="mb-2">
      <p className="font-serif text-lg leading-7">
        Showing{' '}
        <Chooser label="Which cases" words={told.length ? `${cases}: ${told.join(', ')}` : cases}>
          <CaseFilter
            selection={s}
            onChange={setSelection}
            tags={tags}
            labels={labels}
            measures={trial.measures}
            repeats={trial.repeats}
          />
        </Chooser>{' '}
        of{' '}
        <Chooser label="Which arms" words={armWords(trial.arms, s.arms)}>
          <ArmChoice
            arms={trial.arms}
            chosen={s.arms}
            onChange={(arms) => setSelection({ arms })}
          />
        </Chooser>
        ,{' '}
        <Chooser
          label="In which order"
          words={`${ORDERS[s.order]}${s.turned ? ', turned round' : ''}`}
        >
          {(close) => (
            <Options
              name="order"
              options={Object.entries(ORDERS).filter(
                ([key]) => key !== 'repeats' || trial.repeats > 1,
              )}
              value={s.order}
              onChoose={(order) => {
                setSelection({ order: order as Order })
                close()
              }}
            >
              <label className="mt-2 flex items-center gap-2 border-t border-rule pt-2">
                <input
                  type="checkbox"
                  checked={s.turned}
                  onChange={(e) => setSelection({ turned: e.target.checked })}
                />
                turned round
              </label>
            </Options>
          )}
        </Chooser>
        {s.order === 'dataset' || s.order === 'arrival' ? '' : ' first'},{' '}
        <Chooser label="Marked or not" words={MARKS[s.mark as keyof typeof MARKS] ?? s.mark}>
          {(close) => (
            <Options
              name="mark"
              options={Object.entries(MARKS)}
              value={s.mark}
              onChoose={(mark) => {
                setSelection({ mark })
                close()
              }}
            />
          )}
        </Chooser>
        .{' '}
        <span className="font-sans text-xs text-soft">
          {found && answers.arms.length > 1 && (
            <>
              {count(found.differing)} differ{trial.state === 'complete' ? '' : ' so far'}
            </>
          )}
          {narrowed && (
            <>
              {' '}
              <TextAction
                light
                onClick={() => setSelection({ ...EVERYTHING, arms: s.arms, order: s.order })}
              >
                all of them
              </TextAction>
            </>
          )}
        </span>
      </p>
      {answers.problem !== null && (
        <p role="alert" className="text-sm text-harm">
          {inWords(answers.problem)}
        </p>
      )}
    </div>
  )
}

/** The arms in the sentence: by name as long as these are few. */
function armWords(arms: Schemas['ArmOnBoard'][], chosen: number[]): string {
  const own = arms.filter((a) => chosen.includes(a.id))
  if (own.length === 0 || own.length === arms.length)
    return arms.length === 1 ? (arms[0]?.name ?? '') : `all ${count(arms.length)} arms`
  if (own.length > 3) return `${count(own.length)} of ${count(arms.length)} arms`
  return own.map((a) => a.name).join(own.length === 2 ? ' and ' : ', ')
}

type OptionsProps = {
  name: string
  options: [string, string][]
  value: string
  onChoose: (value: string) => void
  children?: React.ReactNode
}

function Options({ name, options, value, onChoose, children }: OptionsProps) {
  return (
    <div className="grid gap-1">
      {options.map(([key, words]) => (
        <label key={key} className="flex items-center gap-2">
          <input type="radio" name={name} checked={key === value} onChange={() => onChoose(key)} />
          {words}
        </label>
      ))}
      {children}
    </div>
  )
}
