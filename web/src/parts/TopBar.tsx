import { lazy, Suspense, useEffect, useState } from 'react'
import { Link, useMatch } from 'react-router'
import { useBrief } from '@/api/briefs'
import { useSession } from '@/api/desk'
import { watchConnection } from '@/api/live'
import { KeyCaps } from '@/keys/KeyCaps'
import { useKeys } from '@/keys/useKeys'
import { money, plural, setCurrency } from './numbers'
import { Palette } from './Palette'
import { ShortcutSheet } from './ShortcutSheet'
import { onWord } from './Word'
import { applyTheme, storedTheme } from './theme'

const WordsSheet = lazy(async () => ({ default: (await import('./WordsSheet')).WordsSheet }))

export function TopBar() {
  const match = useMatch('/briefs/:briefId/*')
  const briefId = match?.params.briefId ? Number(match.params.briefId) : null
  const session = useSession()
  const [paletteOpen, setPaletteOpen] = useState(false)
  const [sheetOpen, setSheetOpen] = useState(false)
  // null: the sheet of words is shut; "" begins at its head.
  const [word, setWord] = useState<string | null>(null)
  const [theme, setTheme] = useState(storedTheme)
  if (session.data) setCurrency(session.data.currency)

  const other = theme === 'light' ? 'dark' : 'light'
  const turn = () => {
    applyTheme(other)
    setTheme(other)
  }
  useKeys({
    find: () => setPaletteOpen(true),
    keys: () => setSheetOpen(true),
    theme: turn,
    words: () => setWord(''),
  })
  useEffect(() => onWord(setWord), [])
  return (
    <header className="flex h-11 shrink-0 items-center gap-3 border-b border-rule px-5">
      <Link to="/" className="font-serif text-lg font-semibold">
        Nomikon.
      </Link>
      {briefId !== null && <BriefName id={briefId} />}
      <button
        type="button"
        onClick={() => setPaletteOpen(true)}
        className="ml-auto flex h-7 w-60 items-center justify-between rounded-sm border border-rule-strong bg-sheet px-2 text-sm text-soft hover:border-ink"
      >
        Find or do… <KeyCaps of="find" />
      </button>
      {session.data?.is_open && (
        <span
          className="text-sm font-semibold whitespace-nowrap text-attention-text"
          title="Other machines reach this page, and nobody signs in: whoever opens it can do everything"
        >
          Open to anyone
        </span>
      )}
      <WorkerState state={session.data?.worker} running={session.data?.running_trials ?? 0} />
      <span
        className="font-mono text-xs whitespace-nowrap"
        title={
          session.data && session.data.simulated_month > 0
            ? `spent this month; simulated models came to ${money(session.data.simulated_month)}, which nobody pays`
            : 'spent this month'
        }
      >
        {session.data ? `${money(session.data.spent_month)} in ${session.data.month}` : ''}
      </span>
      <nav className="flex items-center gap-3 text-sm text-soft" aria-label="Everything">
        <Link to="/shelf" className="hover:text-ink">
          Shelf
        </Link>
        <Link to="/models" className="hover:text-ink">
          Models
        </Link>
        <Link
          to={briefId === null ? '/ledger' : `/ledger?brief=${briefId}`}
          className="hover:text-ink"
        >
          Ledger
        </Link>
        <Link to="/help" className="hover:text-ink">
          Help
        </Link>
        <button type="button" className="hover:text-ink" onClick={() => setWord('')}>
          Words
        </button>
        <button type="button" className="hover:text-ink" onClick={turn}>
          {other === 'dark' ? 'Dark' : 'Light'}
        </button>
        <button
          type="button"
          className="hover:text-ink"
          onClick={() => setSheetOpen(true)}
          aria-label="Keys"
        >
          ?
        </button>
      </nav>
      <Palette open={paletteOpen} onOpenChange={setPaletteOpen} briefId={briefId} />
      <ShortcutSheet open={sheetOpen} onOpenChange={setSheetOpen} />
      {word !== null && (
        <Suspense fallback={null}>
          <WordsSheet word={word} onClose={() => setWord(null)} />
        </Suspense>
      )}
    </header>
  )
}

function BriefName({ id }: { id: number }) {
  const brief = useBrief(id)
  return (
    <span className="flex min-w-0 items-center gap-3">
      <span aria-hidden="true" className="text-soft">
        /
      </span>
      <span className="truncate font-serif text-base font-semibold">{brief.data?.name ?? '…'}</span>
    </span>
  )
}

function WorkerState({ state, running }: { state?: string; running: number }) {
  const [open, setOpen] = useState(true)
  useEffect(() => {
    // A reconnect that takes a moment is not worth a word.
    let timer: number | undefined
    const stop = watchConnection((now) => {
      if (now) {
        window.clearTimeout(timer)
        timer = undefined
        setOpen(true)
        // Every failed attempt tells the same again; the first one counts.
      } else timer ??= window.setTimeout(() => setOpen(false), 4000)
    })
    return () => {
      stop()
      window.clearTimeout(timer)
    }
  }, [])
  if (!open) {
    return (
      <span role="status" className="text-sm whitespace-nowrap text-harm">
        Connection lost, trying again
      </span>
    )
  }
  if (state === undefined || state === 'idle') return null
  const words = state === 'running' ? `running ${plural(Math.max(1, running), 'trial')}` : state
  return (
    <span className="text-sm whitespace-nowrap text-soft">
      Worker:{' '}
      <span
        className={
          state === 'stopped'
            ? 'font-semibold text-harm'
            : state === 'running'
              ? 'font-semibold text-action'
              : ''
        }
      >
        {words}
      </span>
    </span>
  )
}
