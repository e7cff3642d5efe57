import createClient from 'openapi-fetch'
import type { components, operations, paths } from './schema'

export type Schemas = components['schemas']

/** What a write takes, and what narrows a read, by the name of the operation. */
export type Body<O extends keyof operations> = operations[O] extends {
  requestBody?: { content: { 'application/json': infer B } }
}
  ? B
  : never
export type Query<O extends keyof operations> = NonNullable<operations[O]['parameters']['query']>

/** What the server said was wrong, and in which field. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly field: string | null,
    readonly facts: Record<string, unknown> = {},
  ) {
    super(detail)
  }
}

let token: Promise<string> | null = null

/** The token every write carries; asked for once, and again after a refusal. */
async function csrf(): Promise<string> {
  token ??= fetch('/api/session/').then(async (r) => ((await r.json()) as { csrf: string }).csrf)
  try {
    return await token
  } catch (error) {
    // The next write asks again: the server may be back by then.
    token = null
    throw error
  }
}

const SAFE = new Set(['GET', 'HEAD'])

const client = createClient<paths>({ baseUrl: '' })
client.use({
  async onRequest({ request }) {
    if (!SAFE.has(request.method)) request.headers.set('X-CSRFToken', await csrf())
    return request
  },
  async onResponse({ response }) {
    if (!response.ok) throw await problemOf(response)
    return response
  },
})

export const api = client

/** A multipart write, for files: the typed client does not encode these. */
export async function upload<T>(path: string, form: FormData): Promise<T> {
  const response = await fetch(path, {
    method: 'POST',
    body: form,
    headers: { 'X-CSRFToken': await csrf() },
  })
  if (!response.ok) throw await problemOf(response)
  return (await response.json()) as T
}

/** A write whose answer comes line by line, each line a JSON value of its own. body: JSON, or a form with a file. */
export async function lines<T>(
  path: string,
  body: unknown,
  onLine: (line: T) => void,
  signal: AbortSignal,
): Promise<void> {
  const file = body instanceof FormData
  const response = await fetch(path, {
    method: 'POST',
    body: file ? body : JSON.stringify(body),
    headers: {
      ...(file ? {} : { 'Content-Type': 'application/json' }),
      'X-CSRFToken': await csrf(),
    },
    signal,
  })
  if (!response.ok || response.body === null) throw await problemOf(response)
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { done, value } = await reader.read()
    if (done) break
    const parts = (rest + value).split('\n')
    rest = parts.pop() ?? ''
    parts.filter(Boolean).forEach((part) => onLine(JSON.parse(part) as T))
  }
}

async function problemOf(response: Response): Promise<Problem> {
  if (response.status === 403) token = null
  const text = await response.text()
  try {
    const body = JSON.parse(text) as {
      title?: string
      detail?: string
      field?: string
      facts?: Record<string, unknown>
    }
    return new Problem(
      response.status,
      body.title ?? 'error',
      body.detail ?? `the server answered ${response.status}`,
      body.field ?? null,
      body.facts ?? {},
    )
  } catch {
    return new Problem(
      response.status,
      'error',
      `The server answered ${response.status} and gave no reason. Nothing was changed.`,
      null,
    )
  }
}

/** Data of an answer; the middleware has already thrown for every other kind. */
export async function dataOf<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data } = await answer
  if (data === undefined) throw new Problem(0, 'empty', 'the server sent no data', null)
  return data
}

/** What went wrong in words a person can act on. */
export function inWords(error: unknown): string {
  if (error instanceof Problem) return sentence(error.detail)
  if (error instanceof TypeError) {
    return 'The server cannot be reached. What you entered is still here; try again in a moment.'
  }
  return error instanceof Error ? error.message : 'Something went wrong.'
}

/** The server's own words as a sentence of the page. */
export function sentence(text: string): string {
  const head = text.charAt(0).toUpperCase() + text.slice(1)
  return /[.!?]$/.test(head) ? head : `${head}.`
}
