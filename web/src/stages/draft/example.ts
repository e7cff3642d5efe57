import { renderDraft } from '@/api/drafts'
import { type DraftMessage, newMessage, type WorkingCopy } from './workingCopy'

const lastAsked = (all: DraftMessage[]) => all.map((m) => m.role).lastIndexOf('user')

/** What a case asks as this text asks it: its last user message, filled. */
export async function questionFor(
  copy: WorkingCopy,
  inputs: Record<string, unknown>,
): Promise<string> {
  const last = copy.messages[lastAsked(copy.messages)]
  if (!last) return ''
  const row = { role: 'user', content: last.content, step: null }
  const done = await renderDraft({ messages: [row], inputs })
  return done.messages[0]?.content ?? ''
}

/** The text with a worked example: two turns before the message that asks. */
export function withExample(copy: WorkingCopy, question: string, answer: string): WorkingCopy {
  const at = Math.max(0, lastAsked(copy.messages))
  const step = copy.messages[at]?.step ?? null
  const turns = [newMessage('user', question, step), newMessage('assistant', answer, step)]
  return {
    ...copy,
    messages: [...copy.messages.slice(0, at), ...turns, ...copy.messages.slice(at)],
  }
}
