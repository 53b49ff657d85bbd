import type { Expression, ValueType } from '../types/expression';
import type { FieldId, TableId } from '../types/identity';
import type { NoSettings, SystemKind } from '../types/field';
import { personJson } from './member';
import type { FieldKindDescriptor } from './kind';

declare module '../types/field' {
  interface FieldTypes {
    /**
     * The other side of a link: the records of table `from` whose field `link` points here. Stores nothing. With `over`
     * it is one side of a link to many: `from` is the table of pairs, and `over` its link to the records on the far
     * side.
     */
    readonly counterpart: { readonly from: TableId; readonly link: FieldId; readonly over?: FieldId };
    readonly formula: { readonly formula: Expression; readonly result: ValueType };
    /** Kept by the system itself, as the three that follow. */
    readonly createdAt: NoSettings;
    readonly createdBy: NoSettings;
    readonly changedAt: NoSettings;
    readonly changedBy: NoSettings;
  }
}

export const counterpart: FieldKindDescriptor<'counterpart'> = {
  word: 'reverse link',
  valueType: ({ from }) => ({ is: 'records', table: from }),
};

export const formula: FieldKindDescriptor<'formula'> = { word: 'formula', valueType: ({ result }) => result };

const instant = (word: string): FieldKindDescriptor<SystemKind> => ({
  word,
  valueType: () => ({ is: 'timestamp' }),
});

const person = (word: string): FieldKindDescriptor<SystemKind> => ({
  word,
  valueType: () => ({ is: 'member' }),
  json: personJson,
});

export const createdAt = instant('created');
export const createdBy = person('created by');
export const changedAt = instant('last changed');
export const changedBy = person('last changed by');
