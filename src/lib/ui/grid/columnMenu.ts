import { say } from '$core/base/say';
import { fieldNamed } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import { mostGroups, totalsFor } from '$core/views/view';
import { groupSteps, isSortable } from '$core/query/sortable';
import type { SortStep } from '$core/types/view';
import { stepWords } from '$core/query/query';
import type { ViewJson } from '$core/views/viewJson';
import type { MenuItem } from '../controls/menuItem';
import type { ColumnChange } from './columnChange';
import type { GridColumn } from './gridGeometry';
import { canSpread } from './spread';
import { totalWords } from '../view/totalWords';
import { orderParts, orderText } from '../view/viewWords';

/** An order with one field as its first part, and the others unchanged. */
export function sortedBy(written: string, key: string, descending: boolean | null): string {
  const others = orderParts(written).filter((part) => part.key !== key);
  return orderText(descending === null ? others : [{ key, descending, by: null }, ...others]);
}

/** What can be done with a column of a grid. */
export function columnMenu(
  { model, table, structure }: { readonly model: Model; readonly table: Table; readonly structure: string },
  view: ViewJson,
  columns: readonly GridColumn[],
  at: number,
  does: {
    readonly change: (change: ColumnChange) => void;
    readonly set: (parts: Partial<ViewJson>) => void;
    /** Shows how the values of a field are spread. */
    readonly spread: (field: Field) => void;
  },
): MenuItem[] {
  const column = columns[at];
  const field = column && fieldNamed(table, column.field.key);
  if (!column || !field) return [];
  const { key } = field;
  const grouped = orderParts(view.groups);
  const steps = grouped.some((part) => part.key === key) ? [] : groupSteps(model, field);
  const by = (step: SortStep | null) => orderText([...grouped, { key, descending: false, by: step }]);
  return [
    ...(isSortable(field)
      ? [
          { label: 'Sort ascending', keys: 'Enter', run: () => does.set({ sort: sortedBy('', key, false) }) },
          { label: 'Sort descending', run: () => does.set({ sort: sortedBy('', key, true) }) },
          ...(view.sort
            ? [
                {
                  label: 'Then sort by this',
                  run: () =>
                    does.set({
                      sort: orderText([
                        ...orderParts(view.sort).filter((part) => part.key !== key),
                        { key, descending: false, by: null },
                      ]),
                    }),
                },
              ]
            : []),
        ]
      : []),
    ...(grouped.length < mostGroups
      ? steps.slice(0, 3).map((step) => ({
          label: `Group by this${step && step !== 'each' ? ` ${say(stepWords(step))}` : ''}`,
          section: 'groups',
          run: () => does.set({ groups: by(step) }),
        }))
      : []),
    ...(grouped.some((part) => part.key === key)
      ? [
          {
            label: 'Do not group by this',
            section: 'groups',
            run: () => does.set({ groups: orderText(grouped.filter((part) => part.key !== key)) }),
          },
        ]
      : []),
    ...totalsFor(field).map((kind) => ({
      label: kind === 'sum' ? 'Sum' : totalWords(field, kind).replace(/^./, (letter) => letter.toUpperCase()),
      section: 'totals',
      current: column.total === kind,
      run: () => does.change({ do: 'total', field: key, total: column.total === kind ? null : kind }),
    })),
    ...(canSpread(model, field)
      ? [{ label: 'Show how values are spread', section: 'totals', run: () => does.spread(field) }]
      : []),
    { label: 'Freeze up to here', section: 'column', run: () => does.set({ frozen: at + 1 }) },
    ...(view.frozen > 0 ? [{ label: 'Unfreeze columns', section: 'column', run: () => does.set({ frozen: 0 }) }] : []),
    ...(at > 0
      ? [
          {
            label: 'Move left',
            keys: 'Ctrl+Shift+←',
            section: 'column',
            run: () => does.change({ do: 'move', field: key, to: at - 1 }),
          },
        ]
      : []),
    ...(at < columns.length - 1
      ? [
          {
            label: 'Move right',
            keys: 'Ctrl+Shift+→',
            section: 'column',
            run: () => does.change({ do: 'move', field: key, to: at + 1 }),
          },
        ]
      : []),
    {
      label: 'Usual width',
      keys: 'Shift+← →',
      section: 'column',
      run: () => does.change({ do: 'width', field: key, width: null }),
    },
    { label: 'Hide column', section: 'column', run: () => does.change({ do: 'hide', field: key }) },
    { label: 'Edit field', section: 'structure', href: `${structure}?field=${field.id}` },
  ];
}
