import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { inWords, type Schemas } from '@/api/client'
import { earnedQuery } from '@/api/earned'
import { shelfQuery, takeOffShelf } from '@/api/shelf'
import { Button, Choice, Empty, ErrorLine, Field, TextAction, Waiting } from '@/parts/controls'
import { EarnedLine } from '@/parts/EarnedLine'
import { plural } from '@/parts/numbers'
import { Overlay } from '@/parts/overlay'
import { BeginWith } from './BeginWith'
import { MakeAlike } from './MakeAlike'

type OnShelf = Schemas['ShelfRow']

const TASKS = ['classify', 'extract', 'summarise', 'rewrite', 'write', 'converse', 'other']
const SETTINGS = [
  'temperature',
  'top_p',
  'top_k',
  'max_tokens',
  'seed',
  'presence_penalty',
  'frequency_penalty',
  'reasoning_effort',
]
const NOTHING = { q: '', task: '', tag: '', source: '', setting: '', value: '' }

/** Texts to begin with: those that ship, one's own, and every version, found by what they say. */
export function ShelfPage() {
  const [asked, setAsked] = useState(NOTHING)
  const [picked, setPicked] = useState<OnShelf[]>([])
  const [beginning, setBeginning] = useState<OnShelf | null>(null)
  const [alike, setAlike] = useState(false)
  const shelf = useQuery({ ...shelfQuery(asked), placeholderData: (former) => former })
  const set = (part: Partial<typeof NOTHING>) => setAsked((a) => ({ ...a, ...part }))
  const narrowed = JSON.stringify(asked) !== JSON.stringify(NOTHING)
  const toggle = (e: OnShelf) =>
    setPicked((all) =>
      all.some((p) => p.key === e.key) ? all.filter((p) => p.key !== e.key) : [...all, e],
    )
  return (
    <main className="mx-auto w-full max-w-[1160px] flex-1 overflow-y-auto px-6 py-6">
      <div className="flex items-end justify-between border-b-2 border-ink pb-3">
        <h1 className="flex items-baseline gap-4 text-2xl">
          Shelf
          <span className="font-sans text-sm font-normal text-soft">
            texts to begin with; looked for by a word or a setting, every version of every brief as
            well
          </span>
        </h1>
        <Button
          kind="main"
          lacks={[picked.length === 0 && 'tick one text or several below']}
          onClick={() => setAlike(true)}
        >
          {picked.length
            ? `Make one like ${picked.length === 1 ? 'this' : `these ${picked.length}`}…`
            : 'Make one like these…'}
        </Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_8rem_9rem_9rem_9rem_6rem] items-end gap-3 py-3">
        <Field label="Words" value={asked.q} onChange={(e) => set({ q: e.target.value })} />
        <Choice
          label="Kind of task"
          value={asked.task}
          onChange={(e) => set({ task: e.target.value })}
        >
          <option value="">any</option>
          {TASKS.map((t) => (
            <option key={t}>{t}</option>
          ))}
        </Choice>
        <Choice label="Tag" value={asked.tag} onChange={(e) => set({ tag: e.target.value })}>
          <option value="">any</option>
          {(shelf.data?.tags ?? []).map((t) => (
            <option key={t}>{t}</option>
          ))}
        </Choice>
        <Choice
          label="Where from"
          value={asked.source}
          onChange={(e) => set({ source: e.target.value })}
        >
          <option value="">anywhere</option>
          <option value="shipped">shipped</option>
          <option value="own">own</option>
          <option value="version">versions</option>
        </Choice>
        <Choice
          label="Setting"
          value={asked.setting}
          onChange={(e) =>
            set({ setting: e.target.value, value: e.target.value ? asked.value : '' })
          }
        >
          <option value="">any</option>
          {SETTINGS.map((t) => (
            <option key={t} value={t}>
              {t.replaceAll('_', ' ')}
            </option>
          ))}
        </Choice>
        <Field
          label="is"
          placeholder="0.2"
          disabled={!asked.setting}
          value={asked.value}
          onChange={(e) => set({ value: e.target.value })}
        />
      </div>
      <p className="border-b border-rule pb-2 text-xs text-soft">
        {shelf.data
          ? `${shelf.data.more ? 'the first ' : ''}${plural(shelf.data.entries.length, 'text')}`
          : ''}
        <a className="ml-3 text-action underline underline-offset-2" href="#earned">
          lines that earned their place
        </a>
        {narrowed && (
          <TextAction light className="ml-3" onClick={() => setAsked(NOTHING)}>
            Show the whole shelf
          </TextAction>
        )}
        {picked.length > 0 && (
          <TextAction light className="ml-3" onClick={() => setPicked([])}>
            Untick all
          </TextAction>
        )}
      </p>
      {shelf.isError && <ErrorLine>{inWords(shelf.error)}</ErrorLine>}
      {shelf.isPending && <Waiting what="the shelf" />}
      {shelf.data?.entries.length === 0 && (
        <Empty title="Nothing fits.">
          Look for fewer words, or let one of the other fields be any.
        </Empty>
      )}
      <ul>
        {shelf.data?.entries.map((e) => (
          <Entry
            key={e.key}
            entry={e}
            picked={picked.some((p) => p.key === e.key)}
            onPick={() => toggle(e)}
            onBegin={() => setBeginning(e)}
          />
        ))}
      </ul>
      <Earned />
      <Overlay
        open={beginning !== null}
        onOpenChange={(open) => !open && setBeginning(null)}
        title={`Begin with “${beginning?.name ?? ''}”`}
      >
        {beginning && (
          <BeginWith
            name={beginning.name}
            task={beginning.task}
            messages={beginning.messages}
            settings={beginning.settings}
            origin="imported"
          />
        )}
      </Overlay>
      <Overlay
        open={alike}
        onOpenChange={setAlike}
        title={picked.length === 1 ? 'Make one like this' : `Make one like these ${picked.length}`}
        side
      >
        <MakeAlike examples={picked} />
      </Overlay>
    </main>
  )
}

/** Lines of one's own prompts that were shown to be worth something, with the figures that show it. */
function Earned() {
  const found = useQuery(earnedQuery)
  return (
    <section className="mt-8" aria-label="Lines that earned their place" id="earned">
      <h2 className="border-b-2 border-ink pb-2 text-xl">Lines that earned their place</h2>
      {found.isError && <ErrorLine>{inWords(found.error)}</ErrorLine>}
      {found.data?.length === 0 && (
        <p className="py-3 text-sm text-soft">
          None yet. Find out in a draft, under <em>What each line is worth</em>, which lines of a
          prompt add to its score: those that do stand here, and are offered where they fit.
        </p>
      )}
      <ul>
        {found.data?.map((line) => (
          <EarnedLine key={`${line.brief} ${line.text}`} line={line} />
        ))}
      </ul>
    </section>
  )
}

function Entry({
  entry: e,
  picked,
  onPick,
  onBegin,
}: {
  entry: OnShelf
  picked: boolean
  onPick: () => void
  onBegin: () => void
}) {
  const [open, setOpen] = useState(false)
  const cache = useQueryClient()
  const takeOff = async () => {
    await takeOffShelf(Number(e.key.replace('own-', '')))
    await cache.invalidateQueries({ queryKey: ['shelf'] })
  }
  return (
    <li className="grid grid-cols-[1.5rem_15rem_minmax(0,1fr)_9rem] gap-x-4 border-b border-rule py-3">
      <input
        type="checkbox"
        className="mt-1.5 self-start"
        aria-label={`Tick ${e.name}`}
        checked={picked}
        onChange={onPick}
      />
      <div className="min-w-0">
        <p className="font-serif text-lg font-semibold break-words">{e.name}</p>
        <p className="text-xs text-soft">
          {e.task} · {e.settings_in_short}
          {e.source === 'own' && ' · own'}
        </p>
        <p className="text-xs text-soft">{e.tags.map((t) => `#${t}`).join(' ')}</p>
      </div>
      <div className="min-w-0">
        {e.about && <p className="text-sm">{e.about}</p>}
        {open ? (
          e.messages.map((m, i) => (
            <p key={i} className="mt-1 font-serif text-base break-words whitespace-pre-wrap">
              <span className="block font-sans text-2xs text-soft">
                {m.role}
                {m.step && `, step ${m.step}`}
              </span>
              {m.content}
            </p>
          ))
        ) : (
          <p className="mt-1 line-clamp-2 font-serif text-base break-words text-soft">
            {e.messages.map((m) => m.content).join(' ')}
          </p>
        )}
      </div>
      <div className="grid content-start justify-items-end gap-1 text-sm">
        <Button onClick={onBegin}>Begin with it…</Button>
        <TextAction light className="text-xs" onClick={() => setOpen(!open)}>
          {open ? 'Less' : 'Read it'}
        </TextAction>
        {e.source === 'version' && e.brief !== null && (
          <Link
            className="text-xs text-action underline underline-offset-2"
            to={`/briefs/${e.brief}/draft?v=${e.number}`}
          >
            Go to it
          </Link>
        )}
        {e.source === 'own' && (
          <button
            type="button"
            className="text-xs text-soft underline underline-offset-2 hover:text-harm"
            onClick={() => void takeOff()}
          >
            Take off the shelf
          </button>
        )}
      </div>
    </li>
  )
}
