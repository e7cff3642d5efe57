import { useState } from 'react'
import { Link } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { useKeys } from '@/keys/useKeys'
import { Area, Button, ErrorLine, TextAction } from '@/parts/controls'
import { plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { intoCases } from '../../../intoCases'
import { CasePicker } from '../../CasePicker'
import { useModels } from '../../try/ModelPicks'
import { usePrice } from '../../try/price'
import { TypedCase } from '../../try/TypedCase'
import type { Job, Said } from '../../try/useTries'
import { stepsOf, toRows } from '../../workingCopy'
import { AnswerCard } from '../AnswerCard'
import { Missing, missingToAsk } from '../missing'
import { Body, WaySentence, type WayProps } from '../regionParts'
import { OfWhat, TryWalk } from '../TryWalk'
import { modelsOf } from '../useAsking'
import { Played } from './Played'
import { Said as SaidTurns } from './Said'

const TURN = 'turn'

/** A talk with the text under work: turn by turn, gone back to and branched, played, kept as a case. */
export function TalkText(props: WayProps) {
  const { brief, version, copy, changed, cases, placeholders, form, setForm, asking } = props
  const models = useModels()
  const chosen = (
    form.models ??
    modelsOf(asking.known, models) ??
    models.slice(0, 1).map((m) => m.id)
  )
    .filter((id) => models.some((m) => m.id === id))
    .slice(0, 1)
  const turn = form.turn ?? ''
  // What was said so far: of the try that is shown, up to where one went back to.
  const last = asking.shown.at(-1)
  const whole: Said[] = saidOf(asking, last?.answer.text ?? '')
  const said = form.upto === null || form.upto === undefined ? whole : whole.slice(0, form.upto)
  const names = placeholders.filter((p) => p !== TURN)
  const inputs = {
    ...cases.chosen?.inputs,
    ...Object.fromEntries(
      names.flatMap((n) => (form.typed?.[n] === undefined ? [] : [[n, form.typed[n]]])),
    ),
  }
  // The text itself says the first thing, where it ends with a user's message that holds no turn.
  const speaks = copy.messages.at(-1)?.role === 'user' && !reads(copy)
  const opens = said.length === 0 && speaks
  const next = turnsOf(said) + (speaks ? 2 : 1)
  const missing = missingToAsk(copy, models, chosen, [
    stepsOf(copy.messages).length > 1 && 'a text of several steps holds no talk',
    !opens && turn.trim() === '' && 'the next turn is not typed yet',
  ])
  const ready = missing.length === 0
  const sent = toRows(copy)
  const job = (talk: NonNullable<Job['talk']>): Job => ({
    key: `talk#${asking.count}`,
    model: chosen[0] ?? 0,
    settings: copy.settings,
    inputs,
    reference: null,
    repeat: 0,
    talk,
  })
  const price = usePrice(brief.id, ready ? [job({ said, turn })] : [], sent)
  const put = (talk: NonNullable<Job['talk']>) => {
    const now: Said[] = talk.turn ? [...talk.said, { role: 'user', content: talk.turn }] : talk.said
    void asking.ask(
      [job(talk)],
      {
        version: version?.number ?? null,
        changed,
        case: cases.chosen?.number ?? null,
        talk: now,
        after: said.length > 0 ? asking.number : null,
      },
      sent,
    )
    setForm({ turn: '', upto: null })
  }
  const go = () => ready && !asking.running && put({ said, turn })
  useKeys({ 'draft.try': go })
  const isTalk = asking.talk !== undefined && (asking.talk.length > 0 || whole.length > 0)
  return (
    <>
      {props.head(
        <WaySentence
          {...{ models, chosen }}
          to={props.to}
          setTo={props.setTo}
          most={2}
          onModels={(ids) => setForm({ models: ids.slice(-1) })}
        />,
        <>
          <TryWalk asking={asking} before={false} setBefore={() => undefined} />
          {asking.running && (
            <Button small kind="harm" onClick={asking.stop}>
              Stop
            </Button>
          )}
          <Button kind="main" title="Ctrl Enter" disabled={!ready || asking.running} onClick={go}>
            {opens ? 'Begin' : `Say turn ${next}`}
            {price && `, ${price}`}
          </Button>
        </>,
      )}
      <Body height={props.height}>
        {models.length === 0 || stepsOf(copy.messages).length > 1 ? (
          <Missing missing={missing} />
        ) : null}
        {isTalk && asking.tried && (
          <OfWhat tried={asking.tried} copy={copy} change={props.change} />
        )}
        {isTalk && (
          <SaidTurns
            said={asking.asking ? (asking.talk ?? []) : whole}
            upto={form.upto ?? null}
            opening={speaks ? (last?.answer.result?.opening ?? '') : null}
            onFrom={(n) =>
              setForm({ upto: n, turn: whole[n]?.role === 'user' ? whole[n].content : '' })
            }
            onAll={() => setForm({ upto: null, turn: '' })}
          >
            {last && (
              <AnswerCard
                shown={last}
                label={last.name}
                onSay={asking.say}
                feed={asking.tried ? { way: props, tried: asking.tried } : null}
              />
            )}
          </SaidTurns>
        )}
        {(!opens || said.length > 0) && (
          <Area
            label={`Turn ${next}, what the user says`}
            rows={3}
            dir="auto"
            className="mt-2 [&_textarea]:font-serif [&_textarea]:text-base"
            value={turn}
            onChange={(e) => setForm({ turn: e.target.value })}
          />
        )}
        <div className="mt-2 flex flex-wrap items-start gap-x-6 gap-y-2 text-sm">
          {names.length > 0 && cases.chosen && (
            <span className="flex items-center gap-2">
              placeholders from <CasePicker cases={cases} />
            </span>
          )}
          <TalkActs {...{ brief, inputs, said }} onNew={() => setForm({ upto: 0, turn: '' })} />
        </div>
        {names.length > 0 && (
          <TypedCase
            names={names}
            values={Object.fromEntries(names.map((n) => [n, asText(inputs[n])]))}
            onChange={(values) => setForm({ typed: values })}
          />
        )}
        <Played
          {...{ form, setForm, models, said }}
          running={asking.running}
          brief={brief.id}
          job={job}
          messages={sent}
          onPlay={put}
        />
      </Body>
    </>
  )
}

/** What was said in the shown try, the prompt's own opening left out. */
function saidOf(asking: WayProps['asking'], answer: string): Said[] {
  const told = asking.shown.at(-1)?.answer.result?.turns
  if (told && told.length > 0) return told
  const talk = asking.talk ?? []
  if ((asking.rows ?? []).length > 0) return []
  // A try of one call can be talked on: its answer is the first thing that was said.
  return answer && !asking.asking ? [...talk, { role: 'assistant', content: answer }] : talk
}

const turnsOf = (said: Said[]) => said.filter((s) => s.role === 'user').length

const reads = (copy: WayProps['copy']) =>
  /\{\{\{?\s*turn\s*\}?\}\}/.test(copy.messages.at(-1)?.content ?? '')

type ActsProps = CaseProps & { onNew: () => void }

/** What can be done with a talk as a whole. */
function TalkActs({ onNew, ...talk }: ActsProps) {
  return (
    <>
      {talk.said.some((s) => s.role === 'user') && <AsConversation {...talk} />}
      {talk.said.length > 0 && (
        <TextAction light onClick={onNew}>
          Begin a new talk
        </TextAction>
      )}
    </>
  )
}

type CaseProps = Pick<WayProps, 'brief'> & { inputs: Record<string, unknown>; said: Said[] }

/** The user's turns as a conversation case: from then on every version is put through them. */
function AsConversation({ brief, inputs, said }: CaseProps) {
  const { write, pending, problem } = useWrite([...briefKeys(brief.id), ['cases']])
  const [words, setWords] = useState('')
  const turns = said.filter((s) => s.role === 'user').map((s) => s.content)
  const keep = () =>
    void write(async () => {
      const names = Object.keys(inputs)
      const values = Object.fromEntries(names.map((n) => [n, asText(inputs[n])]))
      const edits = [{ values, conversation: turns }]
      const name = await intoCases(brief, names, edits, 'a talk in the draft')
      setWords(`Kept in ${name} as a case of ${plural(turns.length, 'turn')}. `)
    })
  return (
    <span>
      {words ? (
        <span role="status" className="text-soft">
          {words}
          <Link className="underline" to={`/briefs/${brief.id}/cases`}>
            See it
          </Link>
        </span>
      ) : (
        <TextAction light disabled={pending} onClick={keep}>
          Keep the talk as a case
        </TextAction>
      )}
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
    </span>
  )
}
