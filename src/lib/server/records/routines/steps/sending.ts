import { plainReading, printValue, type EnteredType } from '$core/fieldTypes/registry';
import { shownType } from '$core/formula/shownType';
import { formulasOf } from '$core/routines/template';
import type { Expression, Scalar } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Template } from '$core/types/routine';
import { directory } from '../../../access/directory';
import { outboundUrl } from '../../../http/outbound';
import { refuse } from '../../../base/refusal';
import type { Client } from '../../../database/pool';
import { mostNoted, type StepRunner, type Working } from '../working';

/** One message goes to no more than so many addresses. */
const mostRecipients = 500;

/** What a formula gave, in words; for people with its unit. */
function wordsOf({ access, frame }: Working, formula: Expression, value: Scalar, isRead = false): string {
  if (value === null) return '';
  const type = { kind: 'formula', formula, result: formula.type } as const;
  const shown = shownType(frame.scope.model, { id: '', type } as unknown as Field);
  if (shown.kind === 'link') return `#${String(value)}`;
  const printed = printValue(value, shown as EnteredType, { ...plainReading, zone: access.workspace.zone });
  return isRead && shown.kind === 'number' && shown.unit ? `${printed} ${shown.unit}` : printed;
}

/** A text with what its formulas gave, one behind the other; `turned` writes it for an address, people read it as it is. */
function filledIn(
  working: Working,
  template: Template,
  values: readonly Scalar[],
  turned?: (text: string) => string,
): string {
  let at = 0;
  return template
    .map((part) => {
      if (typeof part === 'string') return part;
      const words = wordsOf(working, part, values[at++] ?? null, turned === undefined);
      return turned ? turned(words) : words;
    })
    .join('');
}

/** The addresses that a text names, with commas, semicolons or blanks between. */
const addressesIn = (text: string): string[] => text.split(/[\s,;]+/).filter((word) => /^[^@\s]+@[^@\s]+$/.test(word));

async function emailsOf(client: Client): Promise<ReadonlyMap<number, string>> {
  return new Map((await directory(client)).map(({ id, email }) => [id, email]));
}

/**
 * Messages without those that would say the same once more to the same people: what does not name the record, a page
 * sent on Monday or the word that a list was loaded, is sent for all records together.
 */
function saidOnce<M extends { readonly record: number }>(messages: readonly M[]): M[] {
  const first = new Map<string, M>();
  for (const message of messages) {
    const { record: _, ...said } = message;
    const key = JSON.stringify(said);
    if (!first.has(key)) first.set(key, message);
  }
  return [...first.values()];
}

export const write: StepRunner<'write'> = async (working, { to, subject, text, document, summary }) => {
  const { client, frame, send, note } = working;
  const whom = to.flatMap((one) => ('formula' in one ? [one.formula] : []));
  const subjects = formulasOf(subject);
  const values = await working.values([...whom, ...subjects, ...formulasOf(text)]);
  const people = await emailsOf(client);
  const outgoing = [...values].map(([record, all]) => {
    const named = to.flatMap((one) => ('person' in one ? (people.get(one.person) ?? []) : []));
    const found = whom.flatMap((formula, at) => {
      const value = all[at] ?? null;
      if (value === null) return [];
      return formula.type.is === 'member' ? (people.get(Number(value)) ?? []) : addressesIn(String(value));
    });
    const addresses = [...new Set([...named, ...found])];
    if (addresses.length > mostRecipients)
      throw refuse(
        422,
        `This message would go to ${addresses.length.toLocaleString('en')} addresses; ${mostRecipients} is the most.`,
        'Write to fewer, or make several routines.',
      );
    const rest = all.slice(whom.length);
    return {
      kind: 'message' as const,
      record,
      to: addresses,
      // A line end would begin another header.
      subject: filledIn(working, subject, rest).replace(/\s+/g, ' ').slice(0, 300),
      text: filledIn(working, text, rest.slice(subjects.length)),
      ...(document === undefined ? {} : { document: { table: frame.scope.table.id, id: document, record } }),
      ...(summary === undefined ? {} : { summary }),
    };
  });
  const sent = saidOnce(outgoing);
  send(sent.filter(({ to: all }) => all.length > 0));
  note(
    sent.slice(0, mostNoted).map(({ record, to: all, subject: title, text: body }) => ({
      table: frame.scope.table.label,
      record,
      values: { To: all.join(', ') || 'nobody: there is no address', Subject: title, Text: body.slice(0, 500) },
    })),
  );
  return frame;
};

export const call: StepRunner<'call'> = async (working, { address, values }) => {
  const { frame, send, note } = working;
  const inAddress = formulasOf(address);
  const found = await working.values([...inAddress, ...values.map(({ formula }) => formula)]);
  const outgoing = [...found].map(([record, all]) => {
    const url = filledIn(working, address, all, encodeURIComponent);
    // Refused before anything is written; it is looked at again once it is sent.
    outboundUrl(url);
    const rest = all.slice(inAddress.length);
    const body = Object.fromEntries(
      values.map(({ name, formula }, at) => [
        name,
        rest[at] === null ? null : wordsOf(working, formula, rest[at] ?? null),
      ]),
    );
    return { kind: 'call' as const, record, address: url, body: JSON.stringify(body) };
  });
  send(outgoing);
  note(
    outgoing.slice(0, mostNoted).map(({ record, address: to, body }) => ({
      table: frame.scope.table.label,
      record,
      values: { Address: to, Values: body.slice(0, 500) },
    })),
  );
  return frame;
};
