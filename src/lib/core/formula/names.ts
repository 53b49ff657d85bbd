import { nearestNames } from '../base/key';
import { fieldOf, findTable, overOf, tableOf, typeAs } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field } from '../types/field';
import type { Problem } from '../base/problem';
import { callableNames } from './functions/table';
import { aggregateNames } from '../types/expression';
import type { NamePart } from './syntax';

/** A path looked up: the links and counterparts it passes, and the field it ends in. */
export interface ResolvedPath {
  readonly steps: readonly Field[];
  readonly field: Field;
  /** The table that holds `field`. */
  readonly table: Table;
}

/** The field a name means: by key, or in double quotes by label or key. */
function fieldCalled(table: Table, part: NamePart): Field | undefined {
  const wanted = part.name.toLowerCase();
  return (
    table.fields.find(({ key }) => key === wanted) ??
    (part.quoted ? table.fields.find(({ label }) => label.toLowerCase() === wanted) : undefined)
  );
}

/** Follows a path from a table; the problem names what is nearest to an unknown name. */
export function resolvePath(model: Model, start: Table, parts: readonly NamePart[]): ResolvedPath | Problem {
  const steps: Field[] = [];
  let table = start;
  for (const [index, part] of parts.entries()) {
    const field = fieldCalled(table, part);
    if (!field) return unknownName(table, part, parts.length === 1);
    if (index === parts.length - 1) return { steps, field, table };
    const target =
      field.type.kind === 'link' ? field.type.to : field.type.kind === 'counterpart' ? field.type.from : null;
    if (target === null || !findTable(model, target))
      return {
        message: `“${field.label}” is no link, so nothing follows it.`,
        fix: `End the path at ${field.key}.`,
        at: part.at,
      };
    steps.push(field);
    table = tableOf(model, target);
    const over = overOf(field);
    if (over !== undefined) {
      const { field: far } = fieldOf(model, over);
      steps.push(far);
      table = tableOf(model, typeAs(far, 'link').to);
    }
  }
  return { message: 'A name is missing.', at: { from: 0, to: 0 } };
}

function unknownName(table: Table, part: NamePart, alone: boolean): Problem {
  const known = table.fields.flatMap(({ key, label }) => (part.quoted ? [key, label] : [key]));
  const near = nearestNames(part.name, alone ? [...known, ...callableNames, ...aggregateNames] : known);
  return {
    message: `${table.label} has no field “${part.name}”.`,
    fix: near.length > 0 ? `Did you mean ${near.join(', ')}?` : `Its fields are ${known.slice(0, 6).join(', ')}.`,
    at: part.at,
    ...(near.length > 0
      ? {
          instead: near.map((name) =>
            table.fields.some(({ key }) => key === name) || !part.quoted ? name : `"${name}"`,
          ),
        }
      : {}),
  };
}

export const isProblem = (found: ResolvedPath | Problem): found is Problem => 'message' in found;
