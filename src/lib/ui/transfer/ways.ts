import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { MenuItem } from '../controls/menuItem';

/** The address of a work with what is known already. */
export const wayTo = (workspace: string, work: string, given: Readonly<Record<string, string>> = {}): string => {
  const known = new URLSearchParams(Object.entries(given).filter(([, value]) => value !== ''));
  return `/w/${workspace}/transfer/${work}${known.size > 0 ? `?${known}` : ''}`;
};

/** So many records go into an address; more are chosen by a condition. */
const mostChosen = 400;

/** What can be done with the records that are shown or selected. */
export function waysFromRecords(
  workspace: string,
  table: Table,
  chosen: { readonly filter: string; readonly records: readonly number[] },
  may: { readonly change: boolean; readonly delete: boolean; readonly design: boolean },
): MenuItem[] {
  const own = { table: table.key };
  const selected = { ...own, records: chosen.records.join(',') };
  const shown = { ...own, where: chosen.filter };
  const title = table.fields.find(({ id }) => id === table.title)?.key ?? '';
  const count = chosen.records.length;
  const what = `${count} selected`;
  return [
    ...(count > 1 && count <= mostChosen
      ? [
          { label: `Move or copy the ${what}`, href: wayTo(workspace, 'move', selected), section: 'selected' },
          ...(may.change
            ? [{ label: `Fill a field of the ${what}`, href: wayTo(workspace, 'fill', selected), section: 'selected' }]
            : []),
        ]
      : []),
    { label: 'Move or copy these records', href: wayTo(workspace, 'move', shown), section: 'all that are shown' },
    ...(may.change
      ? [{ label: 'Fill a field', href: wayTo(workspace, 'fill', shown), section: 'all that are shown' }]
      : []),
    ...(may.delete
      ? [{ label: 'Find duplicates', href: wayTo(workspace, 'join', { ...own, by: title }), section: 'the table' }]
      : []),
    ...(may.change ? [{ label: 'Change codes', href: wayTo(workspace, 'rekey', own), section: 'the table' }] : []),
    ...(may.design ? waysFromTable(workspace, table) : []),
  ];
}

/** What can be done with a table as a whole. */
export const waysFromTable = (workspace: string, { key, label }: Table): MenuItem[] => [
  {
    label: `Merge ${label} with another table`,
    href: wayTo(workspace, 'merge', { tables: key }),
    section: 'the table',
  },
  { label: `Feed a new table from ${label}`, href: wayTo(workspace, 'feed', { tables: key }), section: 'the table' },
  { label: 'Split columns off', href: wayTo(workspace, 'splitOff', { table: key }), section: 'the table' },
  { label: 'Columns to rows', href: wayTo(workspace, 'toRows', { table: key }), section: 'the table' },
  { label: 'Rows to columns', href: wayTo(workspace, 'toColumns', { table: key }), section: 'the table' },
];

/** What can be done with the values of one field. */
export function waysFromField(workspace: string, table: Table, field: Field): { label: string; href: string }[] {
  const own = { table: table.key, field: field.key };
  const { kind } = field.type;
  if (kind === 'link')
    return [{ label: 'Fold its table in', href: wayTo(workspace, 'foldIn', { table: table.key, link: field.key }) }];
  if (kind === 'formula' || kind === 'counterpart') return [];
  return [
    { label: 'Fill it by a formula', href: wayTo(workspace, 'fill', own) },
    ...(['text', 'number', 'runningNumber'].includes(kind)
      ? [{ label: 'Change its codes', href: wayTo(workspace, 'rekey', own) }]
      : []),
    { label: 'Split it off with others', href: wayTo(workspace, 'splitOff', { table: table.key, by: field.key }) },
  ];
}
