import { Link, useParams } from 'react-router'
import MarkdownView from '@/parts/MarkdownView'
import { useTitle } from '@/parts/useTitle'

// Part of the page: it is there without a network.
const FILES = import.meta.glob<string>('../../../docs/guide/*.md', {
  query: '?raw',
  import: 'default',
  eager: true,
})
const CHAPTERS = Object.entries(FILES)
  .sort(([a], [b]) => a.localeCompare(b))
  .map(([path, text]) => ({
    name: /\d+-([\w-]+)\.md$/.exec(path)?.[1] ?? path,
    title: /^# (.+)$/m.exec(text)?.[1] ?? '',
    text,
  }))

/** The guide, chapter by chapter: one path through the program, each chapter ending in something done. */
export function HelpPage() {
  const { chapter } = useParams()
  const at = Math.max(
    0,
    CHAPTERS.findIndex((c) => c.name === chapter),
  )
  const shown = CHAPTERS[at]
  const former = CHAPTERS[at - 1]
  const next = CHAPTERS[at + 1]
  useTitle(shown ? `Help: ${shown.title}` : 'Help')
  if (!shown) return null
  return (
    <main className="mx-auto grid w-full max-w-[1160px] flex-1 grid-cols-[15rem_minmax(0,1fr)] gap-x-10 overflow-y-auto px-6 py-6">
      <nav aria-label="Chapters" className="text-sm">
        <h1 className="mb-2 text-xl">Help</h1>
        <p className="mb-3 text-xs text-soft">
          One path through the program. <code>?</code> shows every key; <em>Words</em>, at the top,
          every word.
        </p>
        <ol className="grid gap-1.5">
          {CHAPTERS.map((c) => (
            <li key={c.name}>
              <Link
                to={`/help/${c.name}`}
                aria-current={c === shown ? 'page' : undefined}
                className="text-soft hover:text-ink hover:underline aria-[current]:font-semibold aria-[current]:text-ink"
              >
                {c.title}
              </Link>
            </li>
          ))}
        </ol>
      </nav>
      <article className="max-w-[68ch] min-w-0 pb-10 [&>div]:border-0 [&>div]:px-0 [&_blockquote]:border-l-2 [&_blockquote]:border-rule-strong [&_blockquote]:pl-3 [&_h1]:mb-3 [&_h1]:font-semibold [&_li]:my-1 [&_li]:leading-7 [&_p]:leading-7">
        <MarkdownView text={shown.text} />
        <p className="mt-6 flex justify-between border-t border-rule pt-3 text-sm">
          {former ? (
            <Link className="text-action underline" to={`/help/${former.name}`}>
              ‹ {former.title}
            </Link>
          ) : (
            <span />
          )}
          {next && (
            <Link className="text-action underline" to={`/help/${next.name}`}>
              {next.title} ›
            </Link>
          )}
        </p>
      </article>
    </main>
  )
}
