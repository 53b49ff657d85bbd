import { error } from '@sveltejs/kit';
import { tableNamed } from '$core/model/model';

export const load = async ({ parent, params }) => {
  const { model } = await parent();
  const table = tableNamed(model, params.table);
  if (!table) error(404, { message: 'There is no such table here.', mend: 'Choose one from the rail.' });
  return { table };
};
