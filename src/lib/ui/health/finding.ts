import type { Table } from '$core/types/model';
import type { Finding } from '$server/health/finding';
import { wayTo } from '../transfer/ways';

/** An acceptance as the page gets it. */
export interface Accepted {
  readonly id: number;
  readonly words: string;
  readonly condition: string | null;
  /** Its condition uses what is gone, so it accepts nothing. */
  readonly lost: boolean;
  readonly records: readonly number[] | null;
  readonly reason: string;
  readonly by: string;
  readonly at: string;
}

/** What Health knows of one table. */
export interface TableFindings {
  readonly findings: readonly Finding[];
  readonly accepted: readonly Accepted[];
}

const records = (workspace: string, table: Table, { filter }: Finding) =>
  `/w/${workspace}/t/${table.key}?filter=${encodeURIComponent(filter ?? '')}`;

/** Where the field of a finding is seen and changed. */
export const structureOf = (workspace: string, table: Table, { field }: Finding): string =>
  `/w/${workspace}/t/${table.key}/structure${field ? `?field=${field}` : ''}`;

/** Where a finding is fixed. */
type Place = (workspace: string, table: Table, finding: Finding) => string;

const setAside: Place = (workspace, table, { field }) => `/w/${workspace}/set-aside?table=${table.key}&field=${field}`;

const routineOf: Place = (workspace, _, { id }) => `/w/${workspace}/routines/${id.split(' ').at(-1) ?? ''}`;

/** What the page says of a kind of finding, beside its words. */
interface FindingUi {
  /** What fixes it, and where; unless said, its records are shown. */
  readonly fix?: readonly [words: string, where: Place];
  /** What is counted are the options of the list, and no records. */
  readonly ofList?: true;
}

const findingUis: Partial<Record<Finding['kind'], FindingUi>> = {
  'required blank': { fix: ['Fill them in', records] },
  'broken rule': { fix: ['Fix these records', records] },
  'same title': {
    fix: [
      'Find duplicates',
      (workspace, table, { field }) => wayTo(workspace, 'join', { table: table.key, by: field, how: 'cleaned' }),
    ],
  },
  'set aside': { fix: ['Fix the values', setAside] },
  'unused field': { fix: ['Look at the field', structureOf] },
  'unused option': { fix: ['Look at the list', structureOf], ofList: true },
  'link by text': { fix: ['Make it a link', structureOf] },
  'paused routine': { fix: ['Look at the routine', routineOf] },
  'held routine': { fix: ['Look at the routine', routineOf] },
};

/** What fixes a finding, and where; findings of calculated values are fixed in their records or their formula. */
export function fixOf(workspace: string, table: Table, finding: Finding): { words: string; href: string } | null {
  const { fix } = findingUis[finding.kind] ?? {};
  if (!fix && !finding.filter) return null;
  const [words, where] = fix ?? ['Show these records', records];
  return { words, href: where(workspace, table, finding) };
}

/** How many there are, in words. */
export const countOf = ({ kind, count }: Finding): string =>
  findingUis[kind]?.ofList ? `${count} of the list` : count === 0 ? '—' : count.toLocaleString();
