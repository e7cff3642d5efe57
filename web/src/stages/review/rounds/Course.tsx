import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { stopRounds } from '@/api/rounds'
import { useWrite } from '@/api/useWrite'
import { Button, ErrorLine, Simulated } from '@/parts/controls'
import { costInWords, count, money, plural, score, signed } from '@/parts/numbers'
import { useFrame } from '../../frame'
import { CourseChart } from './CourseChart'
import { RoundPart } from './RoundPart'

type Props = { course: Schemas['CourseShape']; onChange: () => void }

/** One run of rounds: how the score went, what each round tried, and how it ended. */
export function Course({ course, onChange }: Props) {
  const { brief } = useFrame()
  const { write, problem } = useWrite()
  const stop = () =>
    write(async () => {
      await stopRounds(course.id)
      onChange()
    })
  const running = course.state === 'running'
  return (
    <>
      <div className="mt-1 mb-3 flex items-center gap-3 border-b border-rule pb-2 text-sm text-soft">
        <span className="min-w-0 flex-1">
          on {course.model} {course.simulated && <Simulated />}, {course.amender} proposes ·{' '}
          {costInWords(course.spent, course.simulated_spent)}
          {course.budget === null ? '' : ` of ${money(course.budget)}`} · scorecard{' '}
          {course.scorecard}
        </span>
        {running && <span role="status">{course.stopping ? 'stopping' : doing(course)}</span>}
        {running && !course.stopping && (
          <Button kind="harm" small onClick={() => void stop()}>
            Stop
          </Button>
        )}
      </div>
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      {!running && (
        <p
          className={`mb-3 border-l-2 pl-3 text-sm ${course.state === 'failed' ? 'border-harm text-harm' : 'border-rule-strong'}`}
        >
          <span className="font-semibold">{ENDS[course.state]}</span>: {course.message}.
        </p>
      )}
      <CourseChart course={course} />
      <table className="mt-3 w-full text-sm">
        <caption className="sr-only">The course in figures</caption>
        <thead>
          <tr className="border-b border-rule-strong text-left text-xs text-soft">
            <th className="py-1 font-semibold">After</th>
            <th className="font-semibold">Version</th>
            <th className="font-semibold">Score on working cases</th>
            <th className="text-right font-semibold">Price of 1,000</th>
            <th className="text-right font-semibold">Length, about</th>
          </tr>
        </thead>
        <tbody>
          {course.points.map((p, i) => {
            const former = course.points[i - 1]
            return (
              <tr key={p.round} className="border-b border-rule">
                <td className="py-1">{p.round === 0 ? 'the start' : `round ${p.round}`}</td>
                <td>
                  <Link
                    className="font-semibold text-action underline underline-offset-2"
                    to={`/briefs/${brief.id}/draft?v=${p.version}`}
                  >
                    v{p.version}
                  </Link>
                </td>
                <td className="font-mono text-xs">
                  <span className="text-sm font-semibold">{score(p.mean)}</span>{' '}
                  <span className="text-soft">
                    {score(p.low)}–{score(p.high)}
                  </span>
                </td>
                <td className="text-right font-mono text-xs">{money(p.cost_per_1000, 3)}</td>
                <td className="text-right font-mono text-xs">
                  {count(p.tokens)} tokens
                  {former && p.tokens !== former.tokens && (
                    <span className="text-soft"> ({signed(p.tokens - former.tokens, 0)})</span>
                  )}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
      {[...course.rounds].reverse().map((r) => (
        <RoundPart key={r.number} round={r} />
      ))}
      {course.rounds.length === 0 && (
        <p className="mt-4 text-sm text-soft">The worker takes them up within a second.</p>
      )}
    </>
  )
}

const ENDS = { ended: 'Over', stopped: 'Stopped', failed: 'Broken off', running: 'Running' }
const PHASES = {
  measuring: 'scores the parent',
  asking: 'has amendments proposed',
  testing: 'tests its candidates',
  decided: 'is decided',
}

function doing(course: Schemas['CourseShape']): string {
  if (course.held_out) return 'checking on held-out cases'
  const last = course.rounds.at(-1)
  return last
    ? `round ${last.number} of at most ${course.most_rounds} ${PHASES[last.phase]}`
    : `at most ${plural(course.most_rounds, 'round')}, about to begin`
}
