import type { Change } from '$core/types/change';
import { readsAny } from '$core/flow/dependencies';
import { leftOutOfCopy } from '$core/changes/copyTable';
import { newTableKey } from '$core/model/names/naming';
import type { Model, Table } from '$core/types/model';
import { modelJson } from '../modelJson';
import { changesFromStructure, type ReadChange, type StructureJson } from './structureImport';
import type { TableSettings } from './tables';

/** What the copy is called, and what it looks like where that is another than the original. */
export type CopyWish = { readonly label: string } & Omit<TableSettings, 'label' | 'title'>;

/**
 * The changes that make another table of the same structure: fields in their order, options, formulas, rules, links to
 * the same tables. Links within the table are within the copy. No records, views or forms; `leftOutOfCopy` says which
 * fields not.
 */
export function copyTableChanges(
  model: Model,
  table: Table,
  { label, key, description, dye, icon, private: isPrivate = table.privateTo !== undefined }: CopyWish,
  read: ReadChange,
): Change[] {
  const written = (modelJson(model) as unknown as StructureJson).tables.find((one) => one.key === table.key);
  if (!written) return [];
  const out = new Set(leftOutOfCopy(model, table).map(({ id }) => id));
  const name = key ?? newTableKey(model, label);
  const limited = new Set(
    table.fields.flatMap((field) => {
      const { type, default: preset } = field;
      const reads =
        (type.kind === 'link' && type.candidates && readsAny(model, type.candidates, out)) ||
        (preset?.kind === 'formula' && readsAny(model, preset.formula, out));
      return reads ? [field.key] : [];
    }),
  );
  const ruled = new Set(
    (table.rules ?? [])
      .filter((rule) => rule.kind === 'holds' && readsAny(model, rule.condition, out))
      .map(({ id }) => id),
  );
  const fields = written.fields
    .filter(({ id }) => !out.has(String(id)))
    .map(({ candidates, default: preset, ...field }) => {
      const within = field.to === table.key;
      const { counterpart, ...rest } = field;
      return {
        ...rest,
        ...(within ? { to: name } : {}),
        // The other side in another table is called after the copy, as any new one; within the copy it keeps its name.
        ...(counterpart && within ? { counterpart } : {}),
        ...(candidates !== undefined && !limited.has(field.key) ? { candidates } : {}),
        ...(preset !== undefined && !limited.has(field.key) ? { default: preset } : {}),
      };
    }) as StructureJson['tables'][number]['fields'];
  return changesFromStructure(
    model,
    {
      tables: [
        {
          key: name,
          label,
          description: description ?? table.description,
          ...(dye ? { dye } : {}),
          ...(icon === undefined ? (table.icon ? { icon: table.icon } : {}) : { icon }),
          ...(isPrivate ? { private: true } : {}),
          title: written.title,
          fields,
          rules: (written.rules ?? []).filter((rule) => !ruled.has((rule as { id?: string }).id ?? '')),
        },
      ],
    },
    read,
  );
}
