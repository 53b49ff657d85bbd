import { enteredIn } from '$core/languages/texts';
import { tableOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';

/** What a page of records shows in the language of whoever reads it; what is designed is as it was written. */
export function spokenTable({
  model,
  table,
  language,
}: {
  readonly model: Model;
  readonly table: Table;
  readonly language: string | null;
}): { readonly model: Model; readonly table: Table } {
  const said = enteredIn(model, language);
  return { model: said, table: said === model ? table : tableOf(said, table.id) };
}
