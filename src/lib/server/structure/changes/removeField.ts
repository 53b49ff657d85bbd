import { fieldOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { RemoveField } from '$core/types/change';
import { withoutRules } from './columns';
import { filled } from './counting';
import type { StoredChange } from './descriptor';
import { binName, none, placesOf } from './places';

export const removeField: StoredChange<RemoveField> = {
  statements(change, context) {
    const places = placesOf(context);
    const { field, table } = fieldOf(context.before, change.field);
    const [column, waiting] = [quoteIdentifier(field.key), quoteIdentifier(binName(field.id))];
    return {
      shape: [
        ...withoutRules(field, table, places),
        `alter table ${places.named(table)} rename column ${column} to ${waiting}`,
      ],
      rules: none,
    };
  },
  async counts(change, counting) {
    const { id } = fieldOf(counting.before, change.field).field;
    const stored = counting.table.fields.find((field) => field.id === id);
    return stored ? { counts: [{ what: 'values kept in the bin', count: await filled(counting, stored) }] } : {};
  },
};
