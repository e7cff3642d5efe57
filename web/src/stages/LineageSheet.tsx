import { useState } from 'react'
import { useNavigate } from 'react-router'
import { briefKeys } from '@/api/briefs'
import { inWords, type Schemas } from '@/api/client'
import { keepOnShelf } from '@/api/shelf'
import { useWrite } from '@/api/useWrite'
import { annotateVersion, useVersion } from '@/api/versions'
import { ScoreBar } from '@/parts/ScoreBar'
import { Button, ErrorLine, TextAction } from '@/parts/controls'
import { clock } from '@/parts/numbers'
import { changedMeanwhile, Meanwhile } from '@/parts/Meanwhile'
import { Overlay } from '@/parts/overlay'
import { forgetTyped, useTyped } from '@/parts/typed'
import type { Frame } from './frame'

type Version = Schemas['VersionFacts']
type Props = { frame: Frame; open: boolean; onOpenChange: (open: boolean) => void }

/** Every version with what is said of it: notes, tags, archived ones; setting two side by side. */
export function LineageSheet({ frame, open, onOpenChange }: Props) {
  const { brief, inHand } = frame
  const [tag, setTag] = useState('')
  const tags = [...new Set(brief.versions.flatMap((v) => v.tags))].sort()
  const rows = [...brief.versions].reverse().filter((v) => !tag || v.tags.includes(tag))
  return (
    <Overlay open={open} onOpenChange={onOpenChange} title="Lineage" side>
      <p className="mb-2 text-sm text-soft">
        A version never changes and is never deleted; what is said of it can. To branch, take any
        version in hand, change it and save.
      </p>
      {tags.length > 0 && (
        <p className="mb-2 flex flex-wrap items-center gap-2 text-xs">
          <span className="text-soft">Tagged</span>
          {tags.map((t) => (
            <button
              key={t}
              type="button"
              aria-pressed={t === tag}
              onClick={() => setTag(t === tag ? '' : t)}
              className="rounded-sm border border-rule-strong px-1.5 py-0.5 hover:border-ink aria-pressed:bg-ink aria-pressed:text-paper"
            >
              {t}
            </button>
          ))}
        </p>
      )}
      <ul>
        {rows.map((v) => (
          <Row
            key={v.number}
            frame={frame}
            version={v}
            inHand={v.number === inHand}
            close={() => onOpenChange(false)}
          />
        ))}
      </ul>
    </Overlay>
  )
}

function Row({
  frame,
  version: v,
  inHand,
  close,
}: {
  frame: Frame
  version: Version
  inHand: boolean
  close: () => void
}) {
  const { brief } = frame
  const navigate = useNavigate()
  const [editing, setEditing] = useState(false)
  const place = `version ${brief.id} ${v.number}`
  const [note, setNote] = useTyped(`${place} note`, v.note)
  const [tags, setTags] = useTyped(`${place} tags`, v.tags.join(', '))
  const { write, problem, clear } = useWrite([...briefKeys(brief.id)])
  const now = changedMeanwhile(problem)
  const change = (
    body: { note?: string; tags?: string[]; archived?: boolean },
    seen: Record<string, unknown> = { note: v.note, tags: v.tags, archived: v.archived },
  ) =>
    write(async () => {
      await annotateVersion(brief.id, v.number, {
        note: null,
        tags: null,
        archived: null,
        ...body,
        seen,
      })
      forgetTyped(place)
      setEditing(false)
    })
  const draft = (params: Record<string, string>) => {
    close()
    void navigate(`/briefs/${brief.id}/draft?${new URLSearchParams(params)}`)
  }
  return (
    <li
      className={`grid grid-cols-[4.75rem_minmax(0,1fr)] gap-x-3 border-b border-rule py-2.5 ${v.archived ? 'opacity-70' : ''}`}
    >
      <div>
        <p className="font-semibold">v{v.number}</p>
        {v.score && <ScoreBar mean={v.score.mean} width={34} />}
      </div>
      <div className="min-w-0 text-sm">
        {editing ? (
          <form
            className="grid gap-1.5"
            onSubmit={(e) => {
              e.preventDefault()
              void change({ note, tags: tags.split(',') })
            }}
          >
            <input
              aria-label={`Note of v${v.number}`}
              maxLength={300}
              placeholder="what was changed and why"
              className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2"
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
            <input
              aria-label={`Tags of v${v.number}, parted by commas`}
              placeholder="tags, parted by commas"
              className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2"
              value={tags}
              onChange={(e) => setTags(e.target.value)}
            />
            <span className="flex gap-2">
              <Button small kind="main" type="submit">
                Keep
              </Button>
              <Button small kind="quiet" onClick={() => setEditing(false)}>
                Leave it
              </Button>
            </span>
          </form>
        ) : (
          <>
            <p className="font-serif text-base break-words">
              {v.note || <span className="text-soft">no note</span>}
            </p>
            <p className="text-xs text-soft">
              {[
                inHand && 'in hand',
                v.adopted && 'adopted',
                v.archived && 'archived',
                v.parent === null
                  ? 'a root'
                  : `from v${v.parent}${v.second_parent ? ` and v${v.second_parent}` : ''}`,
                v.origin,
                clock(v.created_at),
                ...v.tags.map((t) => `#${t}`),
              ]
                .filter(Boolean)
                .join(' · ')}
            </p>
            <p className="mt-1 flex flex-wrap gap-x-3 text-xs">
              {!inHand && (
                <TextAction light onClick={() => draft({ v: String(v.number) })}>
                  Take in hand
                </TextAction>
              )}
              {!inHand && frame.inHand !== null && (
                <TextAction
                  light
                  onClick={() =>
                    draft({ v: String(frame.inHand), beside: String(v.number), view: 'Beside' })
                  }
                >
                  Set beside v{frame.inHand}, or merge
                </TextAction>
              )}
              <TextAction light onClick={() => setEditing(true)}>
                Note and tags…
              </TextAction>
              <TextAction light onClick={() => void change({ archived: !v.archived })}>
                {v.archived ? 'Bring back' : 'Archive'}
              </TextAction>
              <ToShelf brief={brief} number={v.number} />
            </p>
          </>
        )}
        {now && (
          <Meanwhile
            now={now}
            mine={{ note, tags: tags.split(',').map((t) => t.trim()) }}
            names={{ note: 'Note', tags: 'Tags' }}
            onMine={(theirs) => void change({ note, tags: tags.split(',') }, theirs)}
            onTheirs={() => {
              forgetTyped(place)
              clear()
              setEditing(false)
            }}
          />
        )}
        {problem !== null && !now && <ErrorLine>{inWords(problem)}</ErrorLine>}
      </div>
    </li>
  )
}

/** A copy of the text on the starter shelf, to begin other work with. */
function ToShelf({ brief, number }: { brief: Frame['brief']; number: number }) {
  const [asking, setAsking] = useState(false)
  const [name, setName] = useState(`${brief.name}`)
  const [said, setSaid] = useState('')
  const version = useVersion(brief.id, asking ? number : null)
  if (said)
    return (
      <span role="status" className="text-soft">
        {said}
      </span>
    )
  if (!asking)
    return (
      <TextAction light onClick={() => setAsking(true)}>
        Put on the shelf…
      </TextAction>
    )
  const keep = async () => {
    if (!version.data) return
    try {
      await keepOnShelf({
        name,
        task: brief.task,
        about: version.data.note,
        tags: version.data.tags,
        messages: version.data.messages,
        settings: version.data.settings,
      })
      setSaid('On the shelf.')
    } catch (error) {
      setSaid(inWords(error))
    }
  }
  return (
    <form
      className="flex gap-1"
      onSubmit={(e) => {
        e.preventDefault()
        void keep()
      }}
    >
      <input
        aria-label="Name on the shelf"
        className="h-6 w-44 rounded-sm border border-rule-strong bg-sheet px-1"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <Button small type="submit" disabled={!version.data}>
        Put it there
      </Button>
    </form>
  )
}
