import { printFormula } from '$core/formula/printer';
import { findField, ownTables } from '$core/model/model';
import type { Model } from '$core/types/model';
import { partOf, printPart, structurePartKinds, tablePartKinds } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import { fieldJson } from '../structure/fieldJson';

/** The structure as one JSON value, as `GET …/model` answers it: the workspace's own tables. */
export const modelJson = (model: Model) => ({
  tables: ownTables(model).map((table) => ({
    id: table.id,
    key: table.key,
    label: table.label,
    description: table.description,
    dye: table.dye,
    ...(table.icon ? { icon: table.icon } : {}),
    ...(table.privateTo === undefined ? {} : { private: true }),
    title: table.fields.find(({ id }) => id === table.title)?.key ?? null,
    fields: table.fields.map((field) => fieldJson(model, field)),
    ...Object.fromEntries(
      tablePartKinds().map((kind) => [
        partOf(kind).words,
        partsOf(table, kind).map((part) => ({ id: part.id, ...printPart(model, table, kind, part).json })),
      ]),
    ),
    rules: (table.rules ?? []).map((rule) =>
      rule.kind === 'holds'
        ? {
            id: rule.id,
            message: rule.message,
            condition: printFormula(model, rule.condition),
            ...(rule.fromNow ? { fromNow: true } : {}),
          }
        : {
            id: rule.id,
            message: rule.message,
            unique: rule.fields.map((id) => findField(model, id)?.field.key ?? ''),
          },
    ),
  })),
  ...Object.fromEntries(
    structurePartKinds().map((kind) => [
      partOf(kind).words,
      partsOf(model, kind).map((part) => ({ id: part.id, ...printPart(model, null, kind, part).json })),
    ]),
  ),
});
