import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords } from '@/api/client'
import { createDataset, editCases } from '@/api/datasets'
import { draftReportQuery, triesQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { useVersion } from '@/api/versions'
import { Area, Button, ErrorLine } from '@/parts/controls'
import { inAList, plural } from '@/parts/numbers'
import { asText } from '@/parts/text'
import { forgetTyped, useTyped } from '@/parts/typed'
import { useFrame } from '../frame'
import { type FirstCase, linesAsCases } from './firstCases'

/** The first cases of a brief: what was tried, and as many as are pasted, a line each. */
export function FirstCases() {
  const { brief, inHand } = useFrame()
  const version = useVersion(brief.id, inHand).data
  const tried = useQuery(triesQuery(brief.id, null)).data?.found ?? null
  const place = `first cases ${brief.id}`
  const [text, setText] = useTyped(place, '')
  const [withTried, setWithTried] = useState(true)
  const { write, pending, problem } = useWrite([...briefKeys(brief.id)])
  const report = useQuery({
    ...draftReportQuery(brief.id, {
      messages: version?.messages ?? [],
      settings: {},
      parent: null,
      dataset: null,
    }),
    enabled: version !== undefined,
  }).data
  // What an input holds is named by dots: the column is the whole of it.
  const names = [...new Set((report?.placeholders ?? []).map((p) => p.split('.')[0] ?? p))]
  const columns = names.length > 0 ? names : ['text']
  const first: FirstCase[] =
    tried && tried.case === null && Object.values(tried.inputs).some((v) => asText(v).trim())
      ? [{ values: Object.fromEntries(columns.map((c) => [c, asText(tried.inputs[c])])) }]
      : []
  const pasted = linesAsCases(text, columns)
  const cases = [...(withTried ? first : []), ...pasted]
  const take = (edits: FirstCase[]) =>
    void write(async () => {
      // The first needs no name: it is called after what it holds, and can be renamed.
      const made = await createDataset(brief.id, {})
      if (edits.length > 0)
        await editCases(made.id, { edits, columns, kinds: {}, why: 'the first cases' })
      forgetTyped(place)
    })
  return (
    <form
      className="grid max-w-3xl gap-3 px-6 py-5"
      onSubmit={(e) => {
        e.preventDefault()
        if (cases.length > 0) take(cases)
      }}
    >
      <h1 className="text-xl">The first cases</h1>
      <p className="font-serif text-base">
        A case is one input as it will really come. Paste ten, one a line, or rows of a sheet:{' '}
        {columns.length > 1 ? `${inAList(columns)}, then ` : ''}what is wanted in the last column,
        where you know it.
      </p>
      {first[0] && (
        <label className="flex items-baseline gap-2 text-sm">
          <input
            type="checkbox"
            checked={withTried}
            onChange={(e) => setWithTried(e.target.checked)}
          />
          <span className="min-w-0">
            Case 1 is what was tried:{' '}
            <span dir="auto" className="font-serif text-soft">
              {Object.values(first[0].values).join(' · ')}
            </span>
          </span>
        </label>
      )}
      <Area
        label={`${withTried && first.length > 0 ? 'Further cases' : 'Cases'}, one a line`}
        rows={10}
        className="[&_textarea]:font-serif [&_textarea]:text-base"
        // eslint-disable-next-line jsx-a11y/no-autofocus -- it is the one field of an empty stage
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <div className="flex flex-wrap items-center gap-3">
        <Button
          kind="main"
          type="submit"
          disabled={pending}
          lacks={[cases.length === 0 && 'no line is there: type or paste one a line']}
        >
          Take {plural(cases.length, 'case')} in
        </Button>
        <Button disabled={pending} onClick={() => take([])}>
          From a file, a log, or typed one by one…
        </Button>
      </div>
    </form>
  )
}
