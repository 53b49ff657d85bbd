import { bad, good, type Result } from '../../base/problem';
import { printStanding, readAll, readFormula } from '../../filled/written';
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
  words({ scope }, { to, subject }) {
    const all = to.map((one) => ('formula' in one ? said(scope.model, one.formula) : 'a person'));
    return `write to ${all.join(' and ')}: “${saidTemplate(scope.model, subject)}”`;
  },
  print: ({ scope }, { to, subject, text }) => ({
    do: 'write',
    to: to.map((one) => ('formula' in one ? { formula: printStanding(scope.model, one.formula) } : one)),
    subject: printTemplate(scope, subject),
    text: printTemplate(scope, text),
  }),
  read({ scope }, json, at) {
    const to = readRecipients(scope, json.to, `${at}/to`);
    if (!to.ok) return to;
    const subject = readTemplate(scope, json.subject, `${at}/subject`);
    if (!subject.ok) return subject;
    if (subject.value.length === 0) return bad('The message has no subject.', 'Write one.', `${at}/subject`);
    const text = readTemplate(scope, json.text, `${at}/text`);
    return text.ok ? good({ do: 'write', to: to.value, subject: subject.value, text: text.value }) : text;
  },
};
