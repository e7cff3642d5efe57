import type { Schemas } from '@/api/client'
import { WordChanges } from '@/parts/WordChanges'

type Part = Schemas['PartChangeShape']

/** What differs, in the answer's own place: words marked, or keys and rows one under the other. */
export function Differences({ found }: { found: Schemas['DifferingShape'] }) {
  if (found.how === 'words')
    return (
      <pre className="bg-sheet px-2 py-1.5 font-mono text-sm whitespace-pre-wrap break-words">
        <WordChanges words={found.words} whole />
      </pre>
    )
  return (
    <div className="bg-sheet px-2 py-1.5 font-mono text-xs">
      <table className="w-full">
        <tbody>
          {found.parts.map((p, i) => (
            <tr key={i} className="align-top">
              <th
                scope="row"
                className={`py-0.5 pr-2 text-left font-normal break-all ${p.kind === 'same' ? 'text-soft' : 'font-semibold'}`}
              >
                {p.name}
              </th>
              <td className="py-0.5 break-words whitespace-pre-wrap">
                <Value part={p} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.cut && <p className="text-soft">The rest is too long to be compared.</p>}
    </div>
  )
}

function Value({ part }: { part: Part }) {
  if (part.kind === 'same') return <span>{part.after}</span>
  return (
    <>
      {part.before !== null && <s className="text-harm">{part.before}</s>}
      {part.before !== null && part.after !== null && ' '}
      {part.after !== null && (
        <ins className="font-semibold text-action no-underline">{part.after}</ins>
      )}
      {part.after === null && <span className="text-soft"> not given</span>}
    </>
  )
}
