import type { Schemas } from '@/api/client'
import { caseName } from '@/parts/caseName'
import { useOutput } from '@/api/trials'
import { TextAction } from '@/parts/controls'
import { asText } from '@/parts/text'
import { Reference } from '../CorrectReference'
import { AnswerColumn } from './AnswerColumn'
import { Folded } from './Folded'
import type { Answers } from './useAnswers'
import type { OpenCaseState } from './useOpenCase'

type Props = {
  trial: Schemas['TrialSummary']
  answers: Answers
  state: OpenCaseState
  onOutput: (id: number) => void
}

const COLUMNS = [
  '',
  '',
  'min-[1000px]:grid-cols-2',
  'min-[1000px]:grid-cols-2 min-[1600px]:grid-cols-3',
  'min-[1000px]:grid-cols-2 min-[1600px]:grid-cols-3 min-[1920px]:grid-cols-4',
]

/** A case with its answers side by side: what was given, what came, what is wanted. */
export function OpenCase({ trial, answers, state, onOutput }: Props) {
  const { open, shown, focus } = answers
  const { outputs, against, whole } = state
  const focused = outputs[focus]?.output ?? null
  const found = useOutput(focused)
  const any = useOutput(outputs.find((o) => o)?.output ?? null)
  if (!open) return null
  const o = found.data ?? any.data
  const other = outputs[focus === 0 ? 1 : 0]?.output ?? null
  return (
    <article aria-label={`Case ${caseName(open)}`} className="min-w-0">
      {o ? (
        <Given output={o} whole={whole} onWhole={() => state.setWhole(!whole)} />
      ) : (
        <p className="font-serif text-lg">{open.text}</p>
      )}
      <div className={`mt-3 grid gap-x-4 gap-y-5 ${COLUMNS[Math.min(shown.length, 4)]}`}>
        {shown.map((s, i) => {
          const arm = trial.arms.find((a) => a.id === s.arm)
          return (
            <AnswerColumn
              key={`${s.arm}.${s.repeat}`}
              place={i + 1}
              output={outputs[i]?.output ?? null}
              name={arm?.name ?? ''}
              focused={i === focus}
              onFocus={() => answers.show(shown, i)}
              against={against}
              other={i === 0 ? (outputs[1]?.output ?? null) : (outputs[0]?.output ?? null)}
            />
          )
        })}
      </div>
      <p className="mt-2 text-xs text-soft">
        {against === 'wanted' && o?.case.reference != null && 'Held against what is wanted: '}
        {against === 'other' && other !== null && 'Held against each other: '}
        {against !== 'none' && (o?.case.reference != null || against === 'other') && (
          <>
            <s className="text-harm">only there</s>{' '}
            <ins className="font-semibold text-action no-underline">only here</ins>
          </>
        )}
      </p>
      {o && (
        <div className="mt-3">
          <Reference key={o.case.revision} output={o} />
        </div>
      )}
      {state.said && (
        <p role="status" className="mt-2 text-sm text-soft">
          {state.said}
        </p>
      )}
      {found.data && (
        <Folded trial={trial} answers={answers} output={found.data} onOutput={onOutput} />
      )}
    </article>
  )
}

/** What the answers were given: the inputs that the prompt names, four lines of them at first. */
function Given({
  output: o,
  whole,
  onWhole,
}: {
  output: Schemas['OutputShape']
  whole: boolean
  onWhole: () => void
}) {
  const names = Object.keys(o.case.inputs)
  const used = names.filter((n) => o.uses.includes(n) || o.uses.some((u) => u.startsWith(`${n}.`)))
  const listed = used.length ? used : names
  const long = listed.some((n) => asText(o.case.inputs[n]).length > 320)
  return (
    <section>
      {listed.map((name) => (
        <div key={name}>
          <p className="text-xs text-soft">
            case {caseName(o.case)} · {name}
            {o.case.tags.length > 0 && ` · ${o.case.tags.join(', ')}`}
          </p>
          <p
            className={`font-serif text-lg break-words whitespace-pre-wrap ${whole ? '' : 'line-clamp-4'}`}
          >
            {asText(o.case.inputs[name]) || '(empty)'}
          </p>
        </div>
      ))}
      {(long || whole) && (
        <TextAction light className="text-xs" onClick={onWhole}>
          {whole ? 'four lines of it' : 'all of it'}
        </TextAction>
      )}
    </section>
  )
}
