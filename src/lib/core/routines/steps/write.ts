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

/** What is attached, by its name; one that was deleted is still said to be one. */
const labelOf = ({ table }: Scope, document: PartId): string =>
  partsOf(table, 'document').find(({ id }) => id === document)?.label ?? document;

function readAttached({ table }: Scope, json: unknown, at: string): Result<PartId | null> {
  const name = typeof json === 'string' ? json.trim() : '';
  if (name === '') return good(null);
  const found = partsOf(table, 'document').find(({ id, label }) => id === name || label === name);
  return found ? good(found.id) : bad(`${table.label} has no document “${name}”.`, 'Choose another, or none.', at);
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
  words({ scope }, { to, subject, document }) {
    const all = to.map((one) => ('formula' in one ? said(scope.model, one.formula) : 'a person'));
    const named = partsOf(scope.table, 'document').find(({ id }) => id === document);
    const attached = named ? `, with “${named.label}” attached` : '';
    return `write to ${all.join(' and ')}: “${saidTemplate(scope.model, subject)}”${attached}`;
  },
  print: ({ scope }, { to, subject, text, document }) => ({
    do: 'write',
    to: to.map((one) => ('formula' in one ? { formula: printStanding(scope.model, one.formula) } : one)),
    subject: printTemplate(scope, subject),
    text: printTemplate(scope, text),
    ...(document === undefined ? {} : { document: labelOf(scope, document) }),
  }),
  read({ scope }, json, at) {
    const to = readRecipients(scope, json.to, `${at}/to`);
    if (!to.ok) return to;
    const subject = readTemplate(scope, json.subject, `${at}/subject`);
    if (!subject.ok) return subject;
    if (subject.value.length === 0) return bad('The message has no subject.', 'Write one.', `${at}/subject`);
    const text = readTemplate(scope, json.text, `${at}/text`);
    if (!text.ok) return text;
    const document = readAttached(scope, json.document, `${at}/document`);
    if (!document.ok) return document;
    return good({
      do: 'write',
      to: to.value,
      subject: subject.value,
      text: text.value,
      ...(document.value === null ? {} : { document: document.value }),
    });
  },
};
