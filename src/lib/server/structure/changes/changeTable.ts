import { tableOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { ChangeTable } from '$core/types/change';
import type { StoredChange } from './descriptor';
import { none, nothing, placesOf } from './places';

export const changeTable: StoredChange<ChangeTable> = {
  statements(change, context) {
    const [old, now] = [tableOf(context.before, change.table), tableOf(context.after, change.table)];
    const { named } = placesOf(context);
    return old.key === now.key
      ? nothing
      : { shape: [`alter table ${named(old)} rename to ${quoteIdentifier(now.key)}`], rules: none };
  },
};
