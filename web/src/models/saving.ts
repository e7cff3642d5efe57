import { useState } from 'react'
import { inWords, Problem } from '@/api/client'
import { connectionsQuery } from '@/api/connections'
import { useWrite } from '@/api/useWrite'
import { changedMeanwhile } from '@/parts/Meanwhile'
import { forgetTyped, keepTyped, typedAt } from '@/parts/typed'

// Never kept in the browser.
const SECRET = new Set(['key'])

/** A form's texts with what is wrong beside each field; what was typed is kept. */
export function useForm<T extends Record<string, string>>(
  place: string,
  start: T,
  save: (form: T) => Promise<unknown>,
  close: () => void,
) {
  const kept = Object.fromEntries(Object.entries(start).filter(([name]) => !SECRET.has(name)))
  const [form, setFormOnly] = useState(() => ({ ...start, ...(typedAt(place) as T | undefined) }))
  const setForm = (now: T) => {
    setFormOnly(now)
    const open = Object.fromEntries(Object.entries(now).filter(([name]) => !SECRET.has(name)))
    keepTyped(place, open, kept)
  }
  const { write, problem } = useWrite([connectionsQuery().queryKey])
  const field = problem instanceof Problem ? problem.field : null
  const submit = async (event?: React.FormEvent) => {
    event?.preventDefault()
    await write(async () => {
      await save(form)
      forgetTyped(place)
      close()
    })
  }
  const bind = (name: keyof T & string) => ({
    value: form[name],
    error: field === name ? inWords(problem) : null,
    onChange: (e: { target: { value: string } }) => setForm({ ...form, [name]: e.target.value }),
  })
  // What belongs to no field on screen is told below them all.
  const rest = problem !== null && !(field && field in form) ? inWords(problem) : null
  const now = changedMeanwhile(problem)
  /** What was typed is left: what is there now counts. */
  const leave = () => {
    forgetTyped(place)
    close()
  }
  return { form, bind, submit, rest: now ? null : rest, now, leave }
}

/** A number as the server takes it: empty is none; what is no number is refused at its field. */
export function numberOrNull(form: Record<string, string>, field: string): number | null {
  const text = (form[field] ?? '').trim()
  if (text === '') return null
  const value = Number(text)
  if (Number.isNaN(value)) throw new Problem(422, 'invalid', `“${text}” is no number`, field)
  return value
}

/** A price as the server takes it: its digits as they were typed, so that none is rounded away. */
export function priceOrNull(form: Record<string, string>, field: string): string | null {
  const text = (form[field] ?? '').trim()
  return text === '' ? null : text
}
