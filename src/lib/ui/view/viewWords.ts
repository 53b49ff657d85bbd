import { say } from '$core/base/say';
import type { Model, Table } from '$core/types/model';
import type { SortStep } from '$core/types/view';
import { orderPath, pathLabel, stepWords } from '$core/query/query';
import type { ViewJson } from '$core/views/viewJson';

/** One part of a written order: the field's key, behind the links that lead to it, the way round, and the step. */
export interface OrderPart {
  readonly key: string;
  readonly descending: boolean;
  readonly by: SortStep | number | null;
}

export const orderParts = (written: string): OrderPart[] =>
  written
    .split(',')
    .filter(Boolean)
    .map((part) => {
      const [key = '', by] = part.replace(/^-/, '').split(':');
      return { key, descending: part.startsWith('-'), by: stepOf(by) };
    });

const stepOf = (written: string | undefined): OrderPart['by'] =>
  written === undefined ? null : Number(written) > 0 ? Number(written) : (written as SortStep);

export const orderText = (parts: readonly OrderPart[]): string =>
  parts.map(({ key, descending, by }) => `${descending ? '-' : ''}${key}${by ? `:${by}` : ''}`).join(',');

/** An order in a person's words: `Apiary, Day by month, last first`. */
export const orderWords = (model: Model, table: Table, written: string): string =>
  orderParts(written)
    .map(({ key, descending, by }) => {
      const path = orderPath(model, table, key);
      const label = path ? pathLabel(path) : key;
      return `${label}${by && by !== 'each' ? ` ${say(stepWords(by))}` : ''}${descending ? `, ${say('descending')}` : ''}`;
    })
    .join('; ');

/** What of a view is not saved, in a few words. */
export function unsavedWords(parts: readonly (keyof ViewJson)[]): string {
  const words: Partial<Record<keyof ViewJson, string>> = {
    columns: 'columns',
    frozen: 'frozen columns',
    lines: 'height of rows',
    filter: 'filter',
    sort: 'order',
    groups: 'grouping',
    colours: 'colours',
    kind: 'kind',
    by: 'what it is laid out by',
    until: 'where records end',
    picture: 'pictures',
    takesNew: 'new fields',
  };
  return parts.map((part) => words[part] ?? part).join(', ');
}
