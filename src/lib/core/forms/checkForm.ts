import { feedOf } from '../flow/feeds';
import { conditionMissing, dependenciesOf } from '../flow/dependencies';
import type { Expression } from '../types/expression';
import type { FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { bad, good, type Result } from '../base/problem';
import { barredFrom, fieldLabel, isLink, makesList, readsOwnOnly } from './form';
import type { Form, FormItem } from '../types/form';

/** Whether a form can stand as it is designed; what names fields that are gone is passed over, as on a view. */
export function checkForm(model: Model, table: Table, form: Form): Result<true> {
  if (feedOf(table))
    return bad(`The records of ${table.label} come from other tables.`, 'Make the form for one of these.', '/label');
  const { next } = form;
  // A script behind an address would run for whoever was thanked.
  if (next && (next.label.trim() === '' || !/^https?:\/\/[^\s/]/i.test(next.address)))
    return bad(
      'The way on from the form is not complete.',
      'Write its words, and an address that begins with https://.',
      '/next',
    );
  const above = new Set<FieldId>();
  const placed = new Set<string>();
  for (const [at, section] of form.sections.entries()) {
    const place = `/sections/${at}`;
    const shown = section.shownIf
      ? checkShownIf(model, section.shownIf, above, `${place}/shownIf`)
      : good(true as const);
    if (!shown.ok) return shown;
    for (const [index, item] of section.items.entries()) {
      const checked = checkItem(model, table, form, item, above, `${place}/items/${index}`);
      if (!checked.ok) return checked;
      if (placed.has(item.field))
        return bad(
          `${fieldLabel(model, item.field)} stands on the form twice.`,
          'Leave one.',
          `${place}/items/${index}`,
        );
      placed.add(item.field);
      if (item.kind === 'field' && !item.hidden) above.add(item.field);
    }
  }
  return good(true);
}

function checkItem(
  model: Model,
  table: Table,
  { audience }: Form,
  item: FormItem,
  above: ReadonlySet<FieldId>,
  at: string,
): Result<true> {
  const field = table.fields.find(({ id }) => id === item.field);
  if (!field) return good(true);
  if (item.kind === 'list') {
    if (audience === 'outside')
      return bad(`${field.label}: outsiders see no lists of records.`, 'Take it off the form.', at);
    return makesList(field) ? good(true) : bad(`${field.label} is no list of records.`, 'Choose a reverse link.', at);
  }
  const barred = barredFrom(field, audience);
  if (barred)
    return bad(
      `${field.label} ${barred}, so it cannot stand on ${audience === 'outside' ? 'a form for outsiders' : 'a form'}.`,
      'Take it off.',
      at,
    );
  if (item.hidden && !item.preset)
    return bad(
      `${field.label} is hidden, and nothing is put into it.`,
      'Give it a value, or take it off.',
      `${at}/preset`,
    );
  if (item.preset && ['files', 'pictures'].includes(field.type.kind))
    return bad(`${field.label} cannot be given a file beforehand.`, 'Leave it blank.', `${at}/preset`);
  if (audience === 'outside' && isLink(field) && !item.hidden && !item.offers)
    return bad(
      `${field.label}: nothing says which records outsiders may choose from.`,
      'Give a condition that those records meet; true lets them see all titles.',
      `${at}/offers`,
    );
  return item.shownIf ? checkShownIf(model, item.shownIf, above, `${at}/shownIf`) : good(true);
}

/** What shows or hides a part is told from what stands further up, so that no two parts can wait for each other. */
function checkShownIf(model: Model, condition: Expression, above: ReadonlySet<FieldId>, at: string): Result<true> {
  if (conditionMissing(model, condition)) return good(true);
  if (!readsOwnOnly(model, condition))
    return bad(
      'This condition follows a link; a form knows only what is filled in on it.',
      'Ask about a field itself.',
      at,
    );
  const later = dependenciesOf(model, condition).on.find(({ field }) => !above.has(field));
  return later
    ? bad(
        `This condition asks about ${fieldLabel(model, later.field)}, which is not filled in further up.`,
        'Put that field above, or ask about another.',
        at,
      )
    : good(true);
}
