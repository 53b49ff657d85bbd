import { findField } from '$core/model/model';
import { NeedsOptions } from '../needsOptions';
import { mostNoted, type StepRunner } from '../working';

/** A word joins a list by a change of the structure, before the edit is begun again. */
export const option: StepRunner<'option'> = async (
  { access, frame, values: read, note, tries },
  { field: id, word },
) => {
  const found = findField(access.workspace.model, id);
  const { type } = found?.field ?? {};
  if (!found || (type?.kind !== 'option' && type?.kind !== 'options')) return frame;
  const values = await read([word]);
  const known = new Set(type.options.map(({ label }) => label.toLowerCase()));
  const words = new Map<string, string>();
  for (const [value] of values.values()) {
    const text = String(value ?? '').trim();
    if (text !== '' && !known.has(text.toLowerCase())) words.set(text.toLowerCase(), text);
  }
  if (words.size > 0 && !tries) throw new NeedsOptions(found.table, found.field, [...words.values()], access.person);
  note(
    [...values].slice(0, mostNoted).map(([record, [value]]) => ({
      table: frame.scope.table.label,
      record,
      values: { [`${found.field.label} of ${found.table.label}`]: String(value ?? '') },
    })),
  );
  return frame;
};
