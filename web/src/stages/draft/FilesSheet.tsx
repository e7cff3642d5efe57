import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { briefKeys } from '@/api/briefs'
import { inWords, Problem, type Schemas, sentence, upload } from '@/api/client'
import { useConnections } from '@/api/connections'
import { requestCodeQuery } from '@/api/drafts'
import { useWrite } from '@/api/useWrite'
import { Button, Choice, ErrorLine } from '@/parts/controls'
import { WayTo } from '@/parts/Lacking'
import { useFrame } from '../frame'
import type { useCaseAt } from './useCaseAt'
import { toRows, type WorkingCopy } from './workingCopy'

type Props = {
  copy: WorkingCopy
  unsaved: boolean
  cases: ReturnType<typeof useCaseAt>
  onDone: (number: number) => void
}

/** The text as files and as requests, and files taken in as versions. */
export function FilesSheet({ copy, unsaved, cases, onDone }: Props) {
  const { brief, inHand } = useFrame()
  return (
    <div className="grid gap-5">
      <section>
        <h3 className="mb-1 font-serif text-base font-semibold">Out</h3>
        <ul className="grid gap-1 text-sm">
          {inHand !== null && (
            <li>
              <a
                className="font-semibold text-action underline underline-offset-2"
                href={`/api/briefs/${brief.id}/versions/${inHand}/prompt.md`}
              >
                Prompt file of v{inHand}
              </a>
              <span className="text-soft">
                : Markdown with its settings{unsaved && '; as saved, without what is unsaved'}
              </span>
            </li>
          )}
          <li>
            <a
              className="font-semibold text-action underline underline-offset-2"
              href={`/api/briefs/${brief.id}/lineage.zip`}
            >
              Whole lineage
            </a>
            <span className="text-soft">
              : a zip with a prompt file for each version, parents, notes and tags
            </span>
          </li>
        </ul>
      </section>
      <TakeIn onDone={onDone} />
      <RequestCode copy={copy} cases={cases} />
    </div>
  )
}

function TakeIn({ onDone }: { onDone: (number: number) => void }) {
  const { brief, inHand } = useFrame()
  const [asChild, setAsChild] = useState(false)
  const { write, pending: busy, problem } = useWrite([...briefKeys(brief.id)])
  const take = async (file: File) => {
    const form = new FormData()
    form.append('file', file)
    if (asChild && inHand !== null) form.append('parent', String(inHand))
    await write(async () => {
      const made = await upload<Schemas['ImportedVersions']>(
        `/api/briefs/${brief.id}/versions/import/`,
        form,
      )
      const last = made.versions.at(-1)
      if (last !== undefined) onDone(last)
    })
  }
  return (
    <section>
      <h3 className="mb-1 font-serif text-base font-semibold">In</h3>
      <div className="flex flex-wrap items-center gap-3 text-sm">
        <label
          className={`inline-flex h-8 cursor-pointer items-center rounded-sm border border-rule-strong bg-sheet px-3 focus-within:outline-2 hover:border-ink ${busy ? 'opacity-60' : ''}`}
        >
          Take in a prompt file, a plain text or a zip…
          <input
            type="file"
            accept=".md,.markdown,.txt,.prompt,.zip,text/markdown,text/plain,application/zip"
            className="sr-only"
            disabled={busy}
            onChange={(e) => {
              const file = e.target.files?.[0]
              e.target.value = ''
              if (file) void take(file)
            }}
          />
        </label>
        {inHand !== null && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={asChild}
              onChange={(e) => setAsChild(e.target.checked)}
            />{' '}
            as a child of v{inHand}
          </label>
        )}
      </div>
      {problem !== null && (
        <div className="mt-2">
          <ErrorLine>
            {problem instanceof Problem
              ? `${lineOf(problem)}${sentence(problem.detail)} Nothing was taken in.`
              : inWords(problem)}
          </ErrorLine>
        </div>
      )}
    </section>
  )
}

function lineOf(problem: Problem): string {
  const line = problem.facts['line']
  return typeof line === 'number' && !problem.detail.includes(`line ${line}`)
    ? `Line ${line}: `
    : ''
}

/** The calls of one case, ready to run elsewhere. */
function RequestCode({ copy, cases }: { copy: WorkingCopy; cases: ReturnType<typeof useCaseAt> }) {
  const models = (useConnections().data ?? []).flatMap((c) => c.models)
  const [model, setModel] = useState<number | null>(null)
  const [kind, setKind] = useState<'curl' | 'python'>('curl')
  const [copied, setCopied] = useState(false)
  const [variables, setVariables] = useState(false)
  const chosen = model ?? models[0]?.id ?? null
  const body = {
    model: chosen ?? 0,
    messages: toRows(copy),
    settings: copy.settings,
    inputs: cases.chosen?.inputs ?? {},
    variables,
  }
  const code = useQuery({ ...requestCodeQuery(body), enabled: chosen !== null, retry: false })
  const text = code.data?.[kind] ?? ''
  return (
    <section>
      <h3 className="mb-1 font-serif text-base font-semibold">As a working request</h3>
      {chosen === null ? (
        <p className="text-sm text-soft">
          It needs a model: <WayTo words="add one" to="/models" />.
        </p>
      ) : (
        <>
          <div className="mb-2 flex flex-wrap items-end gap-3 text-sm">
            <Choice label="Model" value={chosen} onChange={(e) => setModel(Number(e.target.value))}>
              {models.map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
            </Choice>
            <Choice
              label="As"
              value={kind}
              onChange={(e) => setKind(e.target.value as 'curl' | 'python')}
            >
              <option value="curl">curl</option>
              <option value="python">Python, standard library</option>
            </Choice>
            <label className="flex items-center gap-2 pb-1.5">
              <input
                type="checkbox"
                checked={variables}
                onChange={(e) => setVariables(e.target.checked)}
              />
              placeholders as variables
            </label>
            <span className="pb-1.5 text-xs text-soft">
              {variables &&
                kind === 'curl' &&
                'put a value, as JSON text, in place of each {{…}}; '}
              {cases.chosen ? `case ${cases.chosen.number}` : 'no case'}
              {code.data?.key_env ? `, key from $${code.data.key_env}` : ', no key'}
              {kind === 'curl' &&
                (code.data?.calls ?? 1) > 1 &&
                `, ${code.data?.calls} calls: the Python program passes outputs on, here you do`}
            </span>
            <Button
              className="ml-auto"
              lacks={[!text && 'nothing is there to copy']}
              onClick={() => void navigator.clipboard.writeText(text).then(() => setCopied(true))}
            >
              {copied ? 'Copied' : 'Copy'}
            </Button>
          </div>
          {code.isError && <ErrorLine>{inWords(code.error)}</ErrorLine>}
          {text && (
            <pre className="max-h-64 overflow-auto border-l-2 border-rule-strong bg-sheet px-3 py-2 font-mono text-xs whitespace-pre-wrap break-all">
              {text}
            </pre>
          )}
        </>
      )}
    </section>
  )
}
