import { type ComponentPropsWithoutRef, type ReactNode, useId, useState } from 'react'
import { Link } from 'react-router'

/** What a button still needs: in words, and the way to it where there is one. */
export type Lack = string | { words: string; to: string }

type ButtonProps = ComponentPropsWithoutRef<'button'> & {
  kind?: 'main' | 'plain' | 'quiet' | 'harm'
  small?: boolean
  /** All that it needs before it can act; a press tells them instead of acting. */
  lacks?: (Lack | false)[]
}

const KINDS = {
  main: 'bg-action text-on-action border-action font-semibold hover:brightness-110',
  plain: 'bg-sheet text-ink border-rule-strong hover:border-ink',
  quiet: 'bg-transparent text-soft border-transparent hover:text-ink',
  harm: 'bg-sheet text-harm border-harm hover:bg-wash-harm',
}

export function Button({
  kind = 'plain',
  small,
  className = '',
  type = 'button',
  lacks = [],
  ...rest
}: ButtonProps) {
  const [asked, setAsked] = useState(false)
  const missing = lacks.filter((l) => l !== false)
  const own = `inline-flex ${small ? 'h-6 px-2 text-xs' : 'h-8 px-3 text-sm'} shrink-0 items-center gap-2 whitespace-nowrap rounded-sm border disabled:cursor-not-allowed disabled:opacity-60 aria-disabled:cursor-not-allowed aria-disabled:opacity-60 ${KINDS[kind]} ${className}`
  if (missing.length === 0) return <button type={type} className={own} {...rest} />
  const told = missing.map((l) => (typeof l === 'string' ? l : l.words)).join('; ')
  return (
    <>
      <button
        {...rest}
        type={type}
        className={own}
        aria-disabled
        title={`Not yet: ${told}`}
        onClick={(e) => {
          // Of a form, too: what lacks is told, and nothing is sent.
          e.preventDefault()
          setAsked(true)
        }}
      />
      {asked && (
        <span role="status" className="text-xs whitespace-normal text-attention-text">
          Not yet:{' '}
          {missing.map((l, i) => (
            <span key={typeof l === 'string' ? l : l.words}>
              {i > 0 && '; '}
              {typeof l === 'string' ? (
                l
              ) : (
                <Link className="underline" to={l.to}>
                  {l.words}
                </Link>
              )}
            </span>
          ))}
          .
        </span>
      )}
    </>
  )
}

type TextActionProps = ComponentPropsWithoutRef<'button'> & { light?: boolean }

/** A link-like action inside running text; light where several stand in a row. */
export function TextAction({ light, className = '', ...rest }: TextActionProps) {
  return (
    <button
      type="button"
      className={`${light ? '' : 'font-semibold'} text-action underline decoration-1 underline-offset-2 hover:decoration-2 ${className}`}
      {...rest}
    />
  )
}

export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="inline-block min-w-5 rounded-sm border border-rule-strong bg-sheet px-1 text-center font-mono text-2xs text-soft">
      {children}
    </kbd>
  )
}

export function Simulated() {
  return (
    <span className="whitespace-nowrap rounded-sm border border-inform px-1 text-2xs text-inform">
      simulated
    </span>
  )
}

type FieldProps = ComponentPropsWithoutRef<'input'> & {
  label: string
  hint?: string
  error?: string | null
}

export function Field({ label, hint, error, className = '', ...rest }: FieldProps) {
  const id = useId()
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1 block text-xs text-soft">
        {label}
      </label>
      <input
        id={id}
        aria-invalid={error ? true : undefined}
        aria-describedby={error || hint ? `${id}-note` : undefined}
        className="h-8 w-full rounded-sm border border-rule-strong bg-sheet px-2 text-sm aria-invalid:border-harm"
        {...rest}
      />
      {(error || hint) && (
        <p id={`${id}-note`} className={`mt-1 text-xs ${error ? 'text-harm' : 'text-soft'}`}>
          {error ?? hint}
        </p>
      )}
    </div>
  )
}

type AreaProps = ComponentPropsWithoutRef<'textarea'> & { label: string; error?: string | null }

export function Area({ label, error, className = '', ...rest }: AreaProps) {
  const id = useId()
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1 block text-xs text-soft">
        {label}
      </label>
      <textarea
        id={id}
        aria-invalid={error ? true : undefined}
        className="w-full rounded-sm border border-rule-strong bg-sheet p-2 text-sm aria-invalid:border-harm"
        {...rest}
      />
      {error && <p className="mt-1 text-xs text-harm">{error}</p>}
    </div>
  )
}

type ChoiceProps = ComponentPropsWithoutRef<'select'> & { label: string; hideLabel?: boolean }

export function Choice({ label, hideLabel, className = '', ...rest }: ChoiceProps) {
  const id = useId()
  return (
    <div className={className}>
      <label htmlFor={id} className={hideLabel ? 'sr-only' : 'mb-1 block text-xs text-soft'}>
        {label}
      </label>
      <select
        id={id}
        className="h-8 w-full min-w-0 rounded-sm border border-rule-strong bg-sheet px-2 text-sm"
        {...rest}
      />
    </div>
  )
}

export function ErrorLine({ children }: { children: ReactNode }) {
  return (
    <p role="alert" className="border-l-2 border-harm bg-wash-harm px-3 py-2 text-sm text-harm">
      {children}
    </p>
  )
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="max-w-lg py-10">
      <p className="font-serif text-lg">{title}</p>
      <div className="mt-2 text-sm text-soft">{children}</div>
    </div>
  )
}

export function Waiting({ what }: { what: string }) {
  return (
    <p role="status" className="py-8 text-sm text-soft">
      Loading {what}…
    </p>
  )
}
