import { dependenciesOf, readsAny } from '../flow/dependencies';
import type { Expression } from '../formula/expression';
import { writtenIn } from '../flow/dependents';
import { withConditions } from '../forms/form';
import type { FieldId } from './identity';
import { type Field, type Model, type Table } from './model';
import { shownType } from './shownType';

/** A model with only some of its fields: what was calculated from others shows its values, but no longer where they come from. */
function keeping(model: Model, keeps: (field: Field, table: Table) => boolean): Model {
  const gone = new Set<FieldId>();
  for (const table of model.tables) for (const field of table.fields) if (!keeps(field, table)) gone.add(field.id);
  if (gone.size === 0) return model;
  const reads = (expression: Expression) => readsAny(model, expression, gone);
  const bare = (field: Field): Field[] => {
    if (gone.has(field.id)) return [];
    // A link whose other side is hidden points nowhere that can be shown, and the other way round.
    const { type } = field;
    if (type.kind === 'link' && gone.has(type.counterpart)) return [];
    if (type.kind === 'counterpart' && (gone.has(type.link) || (type.over !== undefined && gone.has(type.over)))) return [];
    const { default: preset, ...rest } = field;
    const kept: Field = preset?.kind === 'formula' && reads(preset.formula) ? rest : field;
    if (type.kind === 'formula' && reads(type.formula)) return [{ ...kept, type: shownType(model, field) }];
    if (type.kind === 'link' && type.candidates && reads(type.candidates)) {
      const { candidates: _, ...link } = type;
      return [{ ...kept, type: link }];
    }
    return [kept];
  };
  return {
    tables: model.tables.map((table) => {
      const { rules, views, forms, ...rest } = table;
      const left = rules?.filter((rule) => (rule.kind === 'holds' ? !reads(rule.condition) : !rule.fields.some((id) => gone.has(id))));
      return {
        ...rest,
        ...(left ? { rules: left } : {}),
        // A condition tells of what it reads by the very value it compares with.
        ...(views
          ? {
              views: views.map((view) => ({
                ...view,
                filter: view.filter && reads(view.filter) ? null : view.filter,
                colours: view.colours.filter(({ when }) => !reads(when)),
              })),
            }
          : {}),
        ...(forms ? { forms: forms.map((form) => withConditions(form, (condition) => !reads(condition))) } : {}),
        title: table.title !== null && gone.has(table.title) ? null : table.title,
        fields: table.fields.flatMap(bare),
      };
    }),
  };
}

/** The model without internal fields, for people who have no right to them. */
export function withoutInternal(model: Model): Model {
  const bare = known.get(model) ?? keeping(model, ({ internal }) => !internal);
  known.set(model, bare);
  return bare;
}

// A model never changes, so what is left of it for readers can be kept as long as it is.
const known = new WeakMap<Model, Model>();

/**
 * The model that pages get: of other workspaces' tables only what the workspace's own links, formulas and titles show
 * anyway.
 */
export function withoutForeign(model: Model): Model {
  if (model.tables.every(({ home }) => home === undefined)) return model;
  const needed = new Set<FieldId>();
  for (const { table, expression } of writtenIn(model))
    if (table.home === undefined) for (const { path, field } of dependenciesOf(model, expression).on) for (const id of [...path, field]) needed.add(id);
  const ends = new Set(
    model.tables
      .filter(({ home }) => home === undefined)
      .flatMap(({ fields }) => fields)
      .flatMap(({ type }) =>
        type.kind === 'link' ? [type.counterpart, ...(type.shows ?? [])] : type.kind === 'counterpart' ? [type.link, ...(type.over ? [type.over] : [])] : [],
      ),
  );
  return keeping(
    model,
    (field, table) => table.home === undefined || table.title === field.id || needed.has(field.id) || ends.has(field.id) || Boolean(table.pairs),
  );
}
