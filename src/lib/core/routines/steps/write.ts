import { bad, good, type Result } from '../../base/problem';
import { printStanding, readAll, readFormula } from '../../filled/written';
import { partsOf, type PartId } from '../../types/part';
import type { Recipient } from '../../types/routine';
import { said, saidTemplate } from '../said';
import type { StepDescriptor } from '../step';
import type { Scope } from '../scope';
import { formulasOf, mapTemplate, printTemplate, readTemplate } from '../template';

function readRecipients(scope: Scope, json: unknown, at: string): Result<Recipient[]> {
  const all = readAll(json, at, (one, place): Result<Recipient> => {
    if (typeof one.person === 'number') return good({ person: one.person });
    const formula = readFormula(scope.model, scope.table, one.formula, `${place}/formula`);
    if (!formula.ok) return formula;
    return ['text', 'member'].includes(formula.value.type.is)
      ? good({ formula: formula.value })
      : bad('This is nobody’s address.', 'Name a person, or a text with addresses.', `${place}/formula`);
  });
  return all.ok && all.value.length === 0 ? bad('The message goes to nobody.', 'Say to whom.', at) : all;
}

/** What can be attached: a document of the record, a summary of the workspace. */
const attachable = ['document', 'summary'] as const;
type Attachable = (typeof attachable)[number];

const offered = (
  { model, table }: Scope,
  kind: Attachable,
): readonly { readonly id: PartId; readonly label: string }[] => partsOf(kind === 'document' ? table : model, kind);

/** What is attached, by its name; one that was deleted is still said to be one. */
const labelOf = (scope: Scope, kind: Attachable, id: PartId): string =>
  offered(scope, kind).find((one) => one.id === id)?.label ?? id;

function readAttached(scope: Scope, kind: Attachable, json: unknown, at: string): Result<PartId | null> {
  const name = typeof json === 'string' ? json.trim() : '';
  if (name === '') return good(null);
  const found = offered(scope, kind).find(({ id, label }) => id === name || label === name);
  return found ? good(found.id) : bad(`There is no ${kind} “${name}” to attach.`, 'Choose another, or none.', at);
}

export const write: StepDescriptor<'write'> = {
  label: 'Write a message',
  help: 'Sends a message to people, to those a field names, or to addresses.',
  sends: true,
  formulas: ({ to, subject, text }) => [
    ...to.flatMap((one) => ('formula' in one ? [one.formula] : [])),
    ...formulasOf(subject),
    ...formulasOf(text),
  ],
  writes: () => [],
  turned: (step, { formula }) => ({
    ...step,
    to: step.to.map((one) => ('formula' in one ? { formula: formula(one.formula) } : one)),
    subject: mapTemplate(step.subject, formula),
    text: mapTemplate(step.text, formula),
  }),
  words({ scope }, step) {
    const { to, subject } = step;
    const all = to.map((one) => ('formula' in one ? said(scope.model, one.formula) : 'a person'));
    const named = attachable.flatMap((kind) => {
      const id = step[kind];
      return id === undefined ? [] : [`“${labelOf(scope, kind, id)}”`];
    });
    const attached = named.length > 0 ? `, with ${named.join(' and ')} attached` : '';
    return `write to ${all.join(' and ')}: “${saidTemplate(scope.model, subject)}”${attached}`;
  },
  print: ({ scope }, { to, subject, text, document, summary }) => ({
    do: 'write',
    to: to.map((one) => ('formula' in one ? { formula: printStanding(scope.model, one.formula) } : one)),
    subject: printTemplate(scope, subject),
    text: printTemplate(scope, text),
    ...(document === undefined ? {} : { document: labelOf(scope, 'document', document) }),
    ...(summary === undefined ? {} : { summary: labelOf(scope, 'summary', summary) }),
  }),
  read({ scope }, json, at) {
    const to = readRecipients(scope, json.to, `${at}/to`);
    if (!to.ok) return to;
    const subject = readTemplate(scope, json.subject, `${at}/subject`);
    if (!subject.ok) return subject;
    if (subject.value.length === 0) return bad('The message has no subject.', 'Write one.', `${at}/subject`);
    const text = readTemplate(scope, json.text, `${at}/text`);
    if (!text.ok) return text;
    const document = readAttached(scope, 'document', json.document, `${at}/document`);
    if (!document.ok) return document;
    const summary = readAttached(scope, 'summary', json.summary, `${at}/summary`);
    if (!summary.ok) return summary;
    return good({
      do: 'write',
      to: to.value,
      subject: subject.value,
      text: text.value,
      ...(document.value === null ? {} : { document: document.value }),
      ...(summary.value === null ? {} : { summary: summary.value }),
    });
  },
};
