/* eslint-disable @typescript-eslint/no-unsafe-argument -- facts come as JSON of their own shape, see below */
import type { Schemas } from '@/api/client'
import { plural, score } from '@/parts/numbers'
import { KINDS, type Kind } from '@/stages/review/precedents/words'

// Facts differ from action to action; each sentence below knows its own.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
type Facts = Record<string, any>

// What helping models are asked for.
const ROLES = {
  draft: 'a first version',
  questions: 'open questions',
  cases: 'cases',
  amendments: 'amendments',
  shorter: 'a shorter version',
  adapt: 'a version for one model',
  rubric: 'a rubric',
  alike: 'a text like others',
}

/** A ledger line as a sentence. Every action of the server has its words here. */
const WORDS: Record<string, (f: Facts) => string> = {
  'brief.created': (f) => `Brief “${f['name']}” opened`,
  'brief.changed': (f) => `Brief “${f['name']}” reworded`,
  'version.saved': (f) =>
    `v${f['version']} saved${f['parent'] ? ` from v${f['parent']}` : ''}${f['merged'] ? ` and v${f['merged']}` : ''}${changes(f['changes'])}${f['note'] ? ` (${f['note']})` : ''}`,
  'scorecard.saved': (f) =>
    `Scorecard ${f['scorecard']} saved: ${(f['measures'] as string[]).join(', ')}`,
  'dataset.changed': (f) =>
    f['before'] === f['name']
      ? `Dataset “${f['name']}” ${f['archived'] ? 'put away' : 'brought back'}`
      : `Dataset “${f['before']}” renamed “${f['name']}”`,
  'dataset.copied': (f) =>
    `Dataset “${f['from']}” copied as “${f['name']}”, ${plural(Number(f['cases']), 'case')}`,
  'baseline.created': (f) => `Answers from elsewhere begun: “${f['name']}”, to ${f['dataset']}`,
  'baseline.changed': (f) =>
    f['before'] === f['name']
      ? `“${f['name']}” ${f['archived'] ? 'put away' : 'changed'}`
      : `“${f['before']}” renamed “${f['name']}”`,
  'baseline.answered': (f) =>
    f['after'] === ''
      ? `Answer of “${f['name']}” to case ${f['case']} taken away`
      : `Case ${f['case']} answered by “${f['name']}”`,
  'baseline.imported': (f) =>
    `${plural(Number(f['added']) + Number(f['changed']), 'answer')} of “${f['name']}” brought in from ${f['source'] || 'a file'}`,
  'dataset.copies_kept': (f) =>
    `${plural(Number(f['groups']), 'group')} of copies in “${f['name']}” kept as they are`,
  'cases.taken_back': (f) => `Taken back in “${f['dataset']}”: ${f['what']}`,
  'dataset.created': (f) => `Dataset “${f['name']}” opened`,
  'cases.imported': (f) =>
    `${plural(f['added'], 'case')} imported into ${f['dataset']}${f['changed'] ? `, ${f['changed']} changed` : ''}${f['removed'] ? `, ${f['removed']} taken out` : ''}${f['refused'] ? `, ${f['refused']} rows refused` : ''}`,
  'cases.changed': (f) => {
    const parts = [
      f['changed'] && `${plural(f['changed'], 'case')} changed`,
      f['added'] && `${f['added']} added`,
      f['removed'] && `${f['removed']} taken out`,
    ].filter(Boolean)
    return `${parts.length ? parts.join(', ') : 'Columns set'} in ${f['dataset']}${f['why'] ? ` (${f['why']})` : ''}`
  },
  'dataset.tied': (f) =>
    f['path']
      ? `${f['dataset']} tied to ${f['path']}, which it is read from again`
      : `${f['dataset']} tied to no file any more`,
  'reference.drafted': (f) =>
    `What is right for case ${f['case']} written, for another person to write it, too`,
  'reference.corrected': (f) =>
    `Reference of case ${f['case']} put right: “${f['before']}” is now “${f['after']}”${f['reason'] ? ` (${f['reason']})` : ''}; ${plural(f['outputs'], 'answer')} scored again`,
  'connection.added': (f) => `Connection “${f['name']}” added`,
  'connection.changed': (f) => `Connection “${f['name']}” changed`,
  'model.added': (f) => `Model ${f['name']} added to ${f['connection']}`,
  'model.changed': (f) => `Model ${f['name']} changed`,
  'finding.silenced': (f) =>
    `Finding “${String(f['rule']).replaceAll('-', ' ')}” silenced: ${f['reason']}`,
  'finding.heard': (f) => `Finding “${String(f['rule']).replaceAll('-', ' ')}” heard again`,
  'reading.corrected': (f) =>
    f['forgotten']
      ? `“${f['words']}” read by rule again, no longer as a person said`
      : `How the prompt is read put right: ${f['part']}${f['words'] ? `, “${f['words']}”` : ''}`,
  'reader.standing': (f) =>
    f['model']
      ? `Every version that is saved is read by ${f['model']} from now on`
      : 'No version is read by a model unasked any more',
  'remark.moved': (f) =>
    f['to'] === null
      ? `Remark “${f['text']}” put back where it was grouped`
      : `Remark “${f['text']}” put ${f['to'] ? `with “${f['to']}”` : 'in a group of its own'}`,
  'remarks.embedded': (f) =>
    f['model']
      ? `${plural(f['remarks'], 'remark')} grouped by meaning, by ${f['model']}`
      : 'Remarks grouped by their words again',
  'piece.kept': (f) => `Kept from an answer: “${f['words']}”`,
  'piece.taken_out': (f) => `Taken out of what was kept: “${f['words']}”`,
  'draft.tried': (f) => {
    const odd = Object.entries((f['outcomes'] ?? {}) as Record<string, number>).filter(
      ([kind]) => kind !== 'answered',
    )
    return `Draft tried on ${(f['models'] as string[]).join(', ')}: ${plural(f['answers'], 'answer')}${odd.map(([kind, n]) => `, ${n} ${kind}`).join('')}`
  },
  'version.annotated': (f) =>
    `v${f['version']} ${[
      'note' in f && `noted as “${f['note']}”`,
      'tags' in f &&
        ((f['tags'] as string[]).length
          ? `tagged ${(f['tags'] as string[]).join(', ')}`
          : 'without tags'),
      'archived' in f && (f['archived'] ? 'archived' : 'brought back'),
    ]
      .filter(Boolean)
      .join(', ')}`,
  'version.followed': (f) =>
    `v${f['version']} saved: {{${f['old']}}} is called {{${f['new']}}} there`,
  'versions.imported': (f) =>
    `${plural((f['versions'] as number[]).length, 'version')} taken in from ${f['source']}`,
  'preset.kept': (f) => `Settings kept as “${f['name']}”`,
  'preset.removed': (f) => `Settings “${f['name']}” removed`,
  'shelf.kept': (f) => `“${f['name']}” put on the shelf`,
  'shelf.taken_off': (f) => `“${f['name']}” taken off the shelf`,
  'case.kept': (f) => `Case ${f['case']} kept from a try in ${f['dataset']}, ${f['split']}`,
  'cases.split': (f) =>
    `${f['held_out']} of ${plural(f['of'], 'case')} held out at random (seed ${f['seed']})`,
  'case.pinned': (f) => `Case ${f['case']} pinned`,
  'case.let_go': (f) => `Case ${f['case']} no longer pinned`,
  'model.tested': (f) =>
    `Model ${f['name']} tested: ${f['failure'] ? `failed (${String(f['failure']).replaceAll('_', ' ')})` : 'it answered'}`,
  'trial.started': (f) =>
    `Trial ${f['trial']} started: ${plural(f['arms'], 'arm')} × ${plural(f['cases'], 'case')}${Number(f['repeats']) > 1 ? ` × ${f['repeats']}` : ''}`,
  'trial.noted': (f) =>
    `Trial ${f['trial']} ${f['archived'] ? 'archived' : 'named or noted'}${f['question'] ? `: ${f['question']}` : ''}`,
  'trial.cancel_asked': (f) => `Trial ${f['trial']} asked to stop`,
  'trial.pause_asked': (f) => `Trial ${f['trial']} asked to pause`,
  'trial.extended': (f) =>
    `Trial ${f['trial']} extended by ${plural(f['outputs'], 'answer')}${f['arms'] ? `, ${plural(f['arms'], 'new arm')}` : ''}`,
  'trial.asked_afresh': (f) =>
    `${plural(f['outputs'], 'answer')} of trial ${f['trial']} asked for again${f['what'] === 'arm' ? ', one arm' : f['what'] === 'all' ? ', all of it' : ''}`,
  'trial.continued': (f) =>
    `Trial ${f['trial']} continued: ${plural(f['missing'], 'answer')} still to be had`,
  'trial.rescored': (f) =>
    `Trial ${f['trial']} read by scorecard ${f['scorecard']} instead of ${f['former']}${f['outputs'] ? `: ${plural(f['outputs'], 'answer')} scored, no call made` : ''}`,
  'trial.ended': (f) =>
    `Trial ${f['trial']} ${f['state']}: ${plural(f['outputs'], 'answer')}${f['failed'] ? `, ${f['failed']} failed` : ''}${f['why'] ? ` (${f['why']})` : ''}`,
  'trial.held': (f) => `Trial ${f['trial']} held: ${f['why']}`,
  'trial.reworked': (f) =>
    `Trial ${f['trial']} worked out anew by the rules of today: ${plural(f['outcomes'], 'outcome')} and ${plural(f['scores'], 'score')} changed, no call made`,
  'database.brought_up': (f) =>
    `Database of a former version (${f['was']}) brought up to date; as it was it is kept as ${f['kept']}`,
  'output.marked': (f) => marked(f),
  'consultation.asked': (f) =>
    `${f['model']} asked for ${ROLES[f['role'] as keyof typeof ROLES]}${f['again'] ? ' once more' : ''}${f['failure'] ? `: no answer (${f['failure']})` : f['problem'] ? `: not to be used (${f['problem']})` : ''}`,
  'ruling.asked': (f) =>
    `${f['model']} asked of a precedent on case ${f['case']}, trial ${f['trial']}: ${f['holds'] === null ? 'no ruling that can be read' : f['holds'] ? 'it holds' : 'it is broken'}`,
  'output.settled': (f) =>
    `The answer to case ${f['case']} in trial ${f['trial']} decided to be ${f['outcome']}${Number(f['answers']) > 1 ? `, with ${plural(Number(f['answers']) - 1, 'identical one')}` : ''}`,
  'output.preferred': (f) =>
    `Two answers of trial ${f['trial']} read blind: ${f['outcome'] === 'tie' ? 'alike' : `the ${f['outcome']} one preferred`}`,
  'mark.taken_back': (f) => `A mark of trial ${f['trial']} taken back (it was ${f['judgement']})`,
  'instruction.kept': (f) =>
    `Wording ${f['number']} of what is told to ${f['purpose']} kept${f['note'] ? `: ${f['note']}` : ''}`,
  'precedent.kept': (f) =>
    `Precedent on case ${f['case']}: ${KINDS[f['kind'] as Kind]} “${f['text']}”`,
  'precedent.retired': (f) =>
    `Precedent on case ${f['case']} retired: ${KINDS[f['kind'] as Kind]} “${f['text']}”`,
  'mark.inherited': (f) =>
    `A mark taken over from the same answer: ${f['judgement']}, in trial ${f['trial']}`,
  'question.settled': (f) =>
    f['state'] === 'answered'
      ? `Settled: ${f['question']} ${f['answer']}`
      : `${f['state'] === 'open' ? 'Open again' : f['state'] === 'skipped' ? 'Later' : 'Any is fine'}: ${f['question']}`,
  'questions.asked': (f) => `${f['model']} asked ${plural(f['questions'], 'open question')}`,
  'rounds.started': (f) =>
    `Rounds ${f['rounds']} started from v${f['version']} on ${f['model']}: at most ${plural(f['most'], 'round')}, ${plural(f['candidates'], 'candidate')} each`,
  'rounds.asked': (f) =>
    `Rounds ${f['rounds']}, round ${f['round']}: ${f['model']} ${f['failure'] ? `gave no proposals (${f['failure']})` : `proposed candidate ${f['candidate']}`}`,
  'rounds.stop_asked': (f) => `Rounds ${f['rounds']} asked to stop`,
  'rounds.ended': (f) =>
    `Rounds ${f['rounds']} ${f['state']}: ${f['best'] === f['start'] ? `nothing beats v${f['start']}` : `v${f['best']} beats v${f['start']}`} (${f['why']})`,
  'weighing.started': (f) =>
    `Clauses of v${f['version']} weighed on ${f['model']}: ${plural(f['clauses'], 'clause')} left out by turns, trial ${f['trial']}`,
  'weighing.tested': (f) =>
    `v${f['version']} tested without ${(f['clauses'] as number[]).map((n) => `§ ${n}`).join(', ') || 'pairs of clauses'} in trial ${f['trial']}`,
  'culprits.sought': (f) =>
    `Looked for which of ${plural(f['amendments'], 'amendment')} between v${f['older']} and v${f['newer']} did it on ${f['model']}, trial ${f['trial']}`,
  'twins.made': (f) =>
    `${plural(f['twins'], 'twin')} of ${plural(f['cases'], 'case')} of ${f['dataset']} made`,
  'twins.left': (f) => `${plural(f['twins'], 'twin')} left`,
  'twins.taken': (f) => `${plural(f['twins'], 'twin')} taken again`,
  'watch.started': (f) =>
    `Watch kept over v${f['version']} on ${f['model']}: ${plural(f['cases'], 'case')}, ${plural(f['planned'], 'check')}${f['every_days'] ? `, every ${f['every_days']} days` : ' on demand'}`,
  'watch.asked': (f) =>
    f['check'] === 0
      ? `First run of the watch asked for, trial ${f['trial']}`
      : `Check ${f['check']} of ${f['planned']} of the watch asked for, trial ${f['trial']}`,
  'watch.stopped': (f) => `Watch stopped after ${plural(f['checks'], 'check')}`,
  'watch.held': (f) => `Watch held: ${f['why']}`,
  'arm.adopted': (f) =>
    `v${f['version']} on ${f['model']} adopted, score ${score(f['mean'])} in trial ${f['trial']}`,
}

export function lineInWords(line: Schemas['LineShape']): string {
  return WORDS[line.what]?.(line.facts) ?? line.what
}

function changes(counts: Record<string, number> | undefined): string {
  if (!counts) return ''
  const names: Record<string, string> = {
    add: 'added',
    amend: 'amended',
    strike: 'struck',
    move: 'moved',
    layout: 'layout changed',
  }
  const parts = Object.entries(counts).map(([kind, n]) => `${n} ${names[kind] ?? kind}`)
  return parts.length ? `: ${parts.join(', ')}` : ''
}

function marked(f: Facts): string {
  const marks = (f['marks'] ?? {}) as Record<string, number>
  const total = Object.values(marks).reduce((a, b) => a + b, 0)
  if (total <= 1) return `An answer of trial ${f['trial']} marked ${f['judgement']}`
  const parts = ['good', 'usable', 'bad'].filter((m) => marks[m]).map((m) => `${marks[m]} ${m}`)
  return `${total} answers of trial ${f['trial']} marked: ${parts.join(', ')}`
}
