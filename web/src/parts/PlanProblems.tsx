import type { Schemas } from '@/api/client'

type Problems = Pick<Schemas['PlanShape']['problems'][number], 'arm' | 'severity' | 'text'>[]

/** What stands in the way of a plan, or should be looked at first. */
export function PlanProblems({ problems }: { problems: Problems | undefined }) {
  return problems?.map((p) => (
    <p
      key={p.arm + p.text}
      className={`mt-2 border-l-2 pl-3 text-sm ${p.severity === 'error' ? 'border-harm text-harm' : 'border-attention text-attention-text'}`}
    >
      {p.arm && `${p.arm}: `}
      {p.text}.
    </p>
  ))
}
