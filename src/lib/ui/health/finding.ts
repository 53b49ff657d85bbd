import type { Table } from '$core/types/model';
import type { Finding } from '$server/health/finding';

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

/** What fixes a finding, and where; findings of calculated values are fixed in their records or their formula. */
export function fixOf(workspace: string, table: Table, finding: Finding): { words: string; href: string } | null {
  switch (finding.kind) {
    case 'required blank':
      return { words: 'Fill them in', href: records(workspace, table, finding) };
    case 'broken rule':
    case 'same title':
      return { words: 'Fix these records', href: records(workspace, table, finding) };
    case 'set aside':
      return { words: 'Fix the values', href: `/w/${workspace}/set-aside?table=${table.key}&field=${finding.field}` };
    case 'unused field':
      return { words: 'Look at the field', href: structureOf(workspace, table, finding) };
    case 'unused option':
      return { words: 'Look at the list', href: structureOf(workspace, table, finding) };
    case 'link by text':
      return { words: 'Make it a link', href: structureOf(workspace, table, finding) };
    default:
      return finding.filter ? { words: 'Show these records', href: records(workspace, table, finding) } : null;
  }
}
