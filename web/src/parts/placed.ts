import { inWords, Problem } from '@/api/client'

/** Errors at the fields they name: what is wrong there in words, and the first that names none of them. */
export function placed(errors: unknown[], fields: string[]) {
  const fieldOf = (error: unknown) => (error instanceof Problem ? error.field : null)
  const wrong = (name: string) => {
    const found = errors.find((e) => fieldOf(e) === name)
    return found ? inWords(found) : null
  }
  const elsewhere = errors.find((e) => e && !fields.includes(fieldOf(e) ?? ''))
  return { wrong, elsewhere: elsewhere ? inWords(elsewhere) : null }
}
