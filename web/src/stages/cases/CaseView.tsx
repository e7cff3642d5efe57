import { useState } from 'react'
import { inWords, type Schemas } from '@/api/client'
import { useWrite } from '@/api/useWrite'
import { Area, Button, ErrorLine, Field } from '@/parts/controls'
import { RightForms } from '@/parts/RightForms'
import { forgetTyped, useTyped } from '@/parts/typed'
import { FindIn } from './FindIn'
import { ConversationForm } from './ConversationForm'
import {
  cellText,
  CONVERSATION,
  editOf,
  REFERENCE,
  SPLIT,
  SOURCE,
  SOURCE_COLUMN,
  TAGS,
  type Case,
  type Column,
} from './grid/model'
import type { GridData } from './grid/useGrid'

// A text that is read with a search.
const LONG = 1_500

const fieldOf = (key: string) =>
  [...document.querySelectorAll<HTMLElement>('[data-input]')]
    .find((part) => part.dataset['input'] === key)
    ?.querySelector('textarea') ?? null

type Props = { case_: Case; dataset: Schemas['DatasetShape']; data: GridData; columns: Column[] }

/** One case whole, with room for long texts; every part of it can be changed. */
export function CaseView({ case_, dataset, data, columns }: Props) {
  const place = `case ${case_.revision}`
  const [texts, setTexts] = useTyped<Record<string, string>>(place, {})
  const [forms, setForms] = useTyped<string[]>(`${place} forms`, case_.forms)
  const formsChanged = JSON.stringify(forms.filter((f) => f.trim())) !== JSON.stringify(case_.forms)
  const { write, problem } = useWrite()
  const [kept, setKept] = useState(false)
  const other = case_.split === 'working' ? 'held-out' : 'working'
  // The grid shows a column of sources only where a case has one; here it can be given.
  const all = columns.some((c) => c.key === SOURCE) ? columns : [...columns, SOURCE_COLUMN]
  const changed = all.filter(
    (c) => texts[c.key] !== undefined && texts[c.key] !== cellText(case_, c),
  )
  const value = (c: Column) => texts[c.key] ?? cellText(case_, c)
  const set = (c: Column, text: string) => {
    setTexts({ ...texts, [c.key]: text })
    setKept(false)
  }
  const save = (edit: ReturnType<typeof editOf>) =>
    write(async () => {
      await data.change([edit])
      setTexts({})
      forgetTyped(place)
      setKept(true)
    })
  const inputs = columns.filter((c) => !c.key.startsWith('#'))
  const named = (key: string) => all.find((c) => c.key === key)!
  return (
    <form
      className="grid gap-4"
      onSubmit={(e) => {
        e.preventDefault()
        void save({
          ...editOf(case_, new Map(changed.map((c) => [c, value(c)]))),
          ...(formsChanged ? { forms } : {}),
        })
      }}
    >
      {inputs.map((c) => (
        <div key={c.key} data-input={c.key}>
          {value(c).length > LONG && <FindIn text={value(c)} area={() => fieldOf(c.key)} />}
          <Area
            label={c.name}
            rows={Math.min(
              16,
              Math.max(2, Math.ceil(value(c).length / 72), value(c).split('\n').length),
            )}
            className={`${c.kind === 'json' ? '[&_textarea]:font-mono' : '[&_textarea]:font-serif [&_textarea]:text-base'}`}
            dir="auto"
            value={value(c)}
            onChange={(e) => set(c, e.target.value)}
          />
        </div>
      ))}
      <ConversationForm
        text={value(named(CONVERSATION))}
        onChange={(text) => set(named(CONVERSATION), text)}
      />
      <Area
        label="Reference; empty for none"
        rows={Math.min(12, Math.max(2, Math.ceil(value(named(REFERENCE)).length / 72)))}
        className="[&_textarea]:font-mono"
        value={value(named(REFERENCE))}
        onChange={(e) => set(named(REFERENCE), e.target.value)}
      />
      {value(named(REFERENCE)) !== '' && (
        <RightForms
          forms={forms}
          onChange={(next) => {
            setForms(next)
            setKept(false)
          }}
        />
      )}
      <Field
        label="Tags, parted by semicolons"
        value={value(named(TAGS))}
        onChange={(e) => set(named(TAGS), e.target.value)}
      />
      <Field
        label="What it comes from (a conversation, a document, a person), where other cases share it"
        value={value(named(SOURCE))}
        onChange={(e) => set(named(SOURCE), e.target.value)}
      />
      {problem !== null && <ErrorLine>{inWords(problem)}</ErrorLine>}
      <p className="text-sm text-soft">
        {dataset.open
          ? 'No trial has run on this version of the dataset yet: a change goes into it.'
          : 'A trial has run on this version: a change begins the next one, and the trial keeps the case as it was.'}
      </p>
      <div className="flex items-center gap-2">
        <Button
          kind="main"
          type="submit"
          lacks={[changed.length === 0 && !formsChanged && 'nothing was changed']}
        >
          Save the case
        </Button>
        {(changed.length > 0 || formsChanged) && (
          <Button
            kind="quiet"
            onClick={() => {
              setTexts({})
              setForms(case_.forms)
            }}
          >
            Leave it as it was
          </Button>
        )}
        {kept && changed.length === 0 && !formsChanged && (
          <span role="status" className="text-sm text-soft">
            Saved.
          </span>
        )}
        <Button
          className="ml-auto"
          lacks={[changed.length > 0 && 'its changes are not saved']}
          onClick={() => void save(editOf(case_, new Map([[named(SPLIT), other]])))}
        >
          {other === 'held-out' ? 'Hold this case out' : 'Make it a working case'}
        </Button>
      </div>
    </form>
  )
}
