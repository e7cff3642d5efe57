import { Link } from 'react-router'
import { Empty } from './controls'

export type Way = { words: string; to: string }

/** What a form needs before it can begin: all of it at once, each with the way there. */
export function Lacking({ title, ways }: { title: string; ways: Way[] }) {
  return (
    <Empty title={title}>
      <ul>
        {ways.map((way) => (
          <li key={way.to}>
            <Link className="font-semibold text-action underline" to={way.to}>
              {way.words}
            </Link>
          </li>
        ))}
      </ul>
    </Empty>
  )
}

/** A link inside a sentence that says what is missing. */
export function WayTo({ words, to }: Way) {
  return (
    <Link className="text-action underline" to={to}>
      {words}
    </Link>
  )
}
