import { lazy, Suspense, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { createBrief } from '@/api/briefs'
import { inWords, Problem, type Schemas } from '@/api/client'
import { deskQuery, useDesk } from '@/api/desk'
import { useWrite } from '@/api/useWrite'
import { useKeys } from '@/keys/useKeys'
import { linkOf } from '@/ledger/links'
import { lineInWords } from '@/ledger/words'
import { Area, Button, Choice, ErrorLine, Field, Waiting } from '@/parts/controls'
import { clock, costInWords, money, plural, rampStep, score } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { rampColours } from '@/parts/ramp'
import { forgetTyped, useTyped } from '@/parts/typed'

// Only an empty desk begins with it.
const Begin = lazy(async () => ({ default: (await import('./Begin')).Begin }))

/** Home: the docket of briefs, what happened lately, what it cost. */
export function DeskPage() {
  const desk = useDesk()
  const [adding, setAdding] = useState(false)
  useKeys({ 'desk.brief': () => setAdding(true) })
  return (
    <main className="mx-auto w-full max-w-[1160px] flex-1 overflow-y-auto px-6 py-6">
      <div className="flex items-end justify-between border-b-2 border-ink pb-3">
        <h1 className="flex items-baseline gap-4 text-2xl">
          Desk
          <span className="font-sans text-sm font-normal text-soft">
            {desk.data && desk.data.briefs.length > 0 && plural(desk.data.briefs.length, 'brief')}
          </span>
        </h1>
        <Button
          kind={desk.data?.briefs.length === 0 ? 'plain' : 'main'}
          onClick={() => setAdding(true)}
        >
          New brief…
        </Button>
      </div>
      {desk.isError && <ErrorLine>{inWords(desk.error)}</ErrorLine>}
      {desk.isPending && <Waiting what="the desk" />}
      {desk.data?.briefs.length === 0 && (
        <Suspense fallback={null}>
          <Begin />
        </Suspense>
      )}
      <ul>
        {desk.data?.briefs.map((b) => (
          <DocketRow key={b.id} entry={b} />
        ))}
      </ul>
      {desk.data && desk.data.briefs.length > 0 && <Lately desk={desk.data} />}
      <Overlay open={adding} onOpenChange={setAdding} title="New brief">
        <NewBrief />
      </Overlay>
    </main>
  )
}

function DocketRow({ entry }: { entry: Schemas['DocketEntry'] }) {
  return (
    <li className="grid grid-cols-[13.5rem_minmax(0,1fr)_9rem_8rem_9rem_5.5rem] gap-x-5 max-[999px]:grid-cols-[12rem_minmax(0,1fr)_6.5rem_8rem_5.5rem] border-b border-rule py-4">
      <div>
        <Link
          to={`/briefs/${entry.id}/draft`}
          className="font-serif text-lg font-semibold hover:text-action"
        >
          {entry.name}
        </Link>
        <p className="mt-0.5 line-clamp-3 text-xs text-soft">{entry.job}</p>
      </div>
      <p className="pt-0.5 font-serif text-base">{entry.state}</p>
      <Course points={entry.course} />
      <div>
        {entry.best ? (
          <>
            <p className="font-serif text-xl font-semibold">{score(entry.best.mean)}</p>
            <p className="font-mono text-xs text-soft">
              {score(entry.best.low)}–{score(entry.best.high)}
            </p>
            <p className="text-xs text-soft">{entry.best_label}</p>
          </>
        ) : (
          <p className="pt-1 text-xs text-soft">not measured</p>
        )}
      </div>
      <ul className="pt-0.5 text-sm">
        {entry.waiting.map((w) => (
          <li key={w.words} className="mb-1 leading-5">
            <Link
              to={`/briefs/${entry.id}/${w.to}`}
              className="line-clamp-2 text-attention-text decoration-rule-strong underline underline-offset-2 hover:decoration-attention"
              title={w.words}
            >
              {w.words}
            </Link>
          </li>
        ))}
      </ul>
      <p className="pt-0.5 text-right font-mono text-xs">
        {money(entry.spent)}
        {entry.simulated > 0 && (
          <span className="block font-sans text-2xs text-soft">
            {money(entry.simulated)} simulated
          </span>
        )}
      </p>
    </li>
  )
}

function Course({ points }: { points: Schemas['CoursePoint'][] }) {
  if (points.length === 0) return <span className="max-[999px]:hidden" />
  const x = (i: number) => 6 + (points.length === 1 ? 54 : (i * 108) / (points.length - 1))
  const y = (m: number) => 34 - m * 28
  return (
    <div className="max-[999px]:hidden">
      <svg
        width="120"
        height="40"
        role="img"
        aria-label={points.map((p) => `v${p.version} ${score(p.mean)}`).join(', ')}
      >
        <line x1="0" x2="120" y1="34.5" y2="34.5" className="stroke-rule" />
        <polyline
          points={points.map((p, i) => `${x(i)},${y(p.mean)}`).join(' ')}
          className="fill-none stroke-soft"
        />
        {points.map((p, i) => (
          <rect
            key={p.version}
            x={x(i) - 3}
            y={y(p.mean) - 3}
            width="6"
            height="6"
            className="stroke-ink"
            strokeWidth="0.7"
            fill={rampColours(rampStep(p.mean)).background}
          />
        ))}
      </svg>
      <p className="text-2xs text-soft">score, 0 to 1, by version</p>
    </div>
  )
}

function Lately({ desk }: { desk: Schemas['DeskShape'] }) {
  return (
    <div className="mt-8 grid grid-cols-[minmax(0,1fr)_minmax(0,0.85fr)] gap-x-14">
      <section>
        <h2 className="text-lg">Lately</h2>
        {desk.lately.length === 0 && (
          <p className="mt-2 text-sm text-soft">Nothing has happened yet.</p>
        )}
        <ul className="mt-1">
          {desk.lately.map((line) => (
            <li key={line.id} className="flex gap-4 border-b border-rule py-1.5 text-sm">
              <span className="w-14 shrink-0 font-mono text-xs text-soft">{clock(line.at)}</span>
              <span className="min-w-0 flex-1">
                <LineLink line={line} />
                {line.brief_name && <span className="text-soft"> · {line.brief_name}</span>}
              </span>
              <span className="text-right font-mono text-xs">
                {line.cost_nano ? costInWords(line.cost_nano, line.simulated_nano) : ''}
              </span>
            </li>
          ))}
        </ul>
      </section>
      <section>
        <h2 className="text-lg">
          Spend in {desk.month}: {money(desk.spent_month)}
        </h2>
        {desk.simulated_month > 0 && (
          <p className="text-sm text-soft">
            Simulated models came to {money(desk.simulated_month)}, which nobody pays.
          </p>
        )}
        {desk.spent_month > 0 && <SpendByDay desk={desk} />}
      </section>
    </div>
  )
}

function LineLink({ line }: { line: Schemas['LineShape'] }) {
  const to = linkOf(line)
  return to ? (
    <Link className="hover:text-action hover:underline" to={to}>
      {lineInWords(line)}
    </Link>
  ) : (
    lineInWords(line)
  )
}

function SpendByDay({ desk }: { desk: Schemas['DeskShape'] }) {
  const most = Math.max(1, ...desk.spend_days.map((d) => d.nano))
  return (
    <svg
      viewBox="0 0 500 120"
      className="mt-2 w-full"
      role="img"
      aria-label={`Spend by day of ${desk.month}`}
    >
      {desk.spend_days.map((d) => {
        const height = Math.max(1, (d.nano / most) * 84)
        return (
          <g key={d.day}>
            <rect
              x={(d.day - 1) * 16 + 2}
              y={98 - height}
              width="12"
              height={height}
              className="fill-inform"
            />
            <title>{`${d.day} ${desk.month}: ${money(d.nano)}`}</title>
          </g>
        )
      })}
      <line x1="0" x2="500" y1="98.5" y2="98.5" className="stroke-ink" />
      {[1, 8, 15, 22, 29].map((day) => (
        <text
          key={day}
          x={(day - 1) * 16 + 8}
          y="114"
          textAnchor="middle"
          fontSize="11"
          className="fill-soft"
        >
          {day}
        </text>
      ))}
    </svg>
  )
}

const TASKS = ['classify', 'extract', 'summarise', 'rewrite', 'write', 'converse', 'other']

function NewBrief() {
  const navigate = useNavigate()
  const [name, setName] = useTyped('new brief name', '')
  const [job, setJob] = useTyped('new brief job', '')
  const [task, setTask] = useTyped('new brief task', 'other')
  const { write, pending: busy, problem } = useWrite([deskQuery().queryKey])
  const nameError = problem instanceof Problem && problem.field === 'name' ? inWords(problem) : null
  const save = () =>
    write(async () => {
      const made = await createBrief({ name, job, task })
      forgetTyped('new brief')
      void navigate(`/briefs/${made.id}/draft`)
    })
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        void save()
      }}
    >
      <Field
        label="Name"
        value={name}
        error={nameError}
        onChange={(e) => setName(e.target.value)}
      />
      <Area
        label="The job: what goes in, what must come out, for whom, what is forbidden, what counts as good"
        rows={5}
        value={job}
        onChange={(e) => setJob(e.target.value)}
      />
      <Choice label="Kind of task" value={task} onChange={(e) => setTask(e.target.value)}>
        {TASKS.map((t) => (
          <option key={t}>{t}</option>
        ))}
      </Choice>
      {problem !== null && !nameError && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div>
        <Button kind="main" type="submit" disabled={busy}>
          Open the brief
        </Button>
      </div>
    </form>
  )
}
