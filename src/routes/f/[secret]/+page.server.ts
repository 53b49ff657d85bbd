import { formsOf } from '$core/forms/form';
import { formPage } from '$core/forms/formPage';
import { enteredIn, firstCode, languageFor, languagesOf } from '$core/languages/texts';
import { tableOf } from '$core/model/model';
import type { Form } from '$core/types/form';
import type { Language } from '$core/types/language';
import type { Model, Table } from '$core/types/model';
import { readAnew } from '$server/database/transaction';
import { openForm } from '$server/forms/addresses';
import { refusedAsPage } from '$server/http/page';
import { languageName } from '$server/languages/own';

export const load = async ({ locals, params, setHeaders }) => {
  // The address is a secret: nothing of the page is kept on the way, and no other site is told of it.
  setHeaders({ 'cache-control': 'private, no-store', 'x-robots-tag': 'noindex' });
  const { access, table, form, ended } = await refusedAsPage(
    { locals },
    readAnew(() => openForm(locals.pool, params.secret)),
  );
  const { zone, day, model } = access.workspace;
  const languages = languagesOf(model);
  const language = languageFor(languages, locals.languages);
  const said = enteredIn(model, language);
  const own = said === model ? { table, form } : sameIn(said, table, form);
  return {
    secret: params.secret,
    label: own.form.label,
    ended: own.form.closed && ended === form.closed ? own.form.closed : ended,
    page: ended === null ? formPage(said, own.table, own.form) : null,
    language: language ?? firstCode(languages),
    languages: languages.length === 0 ? [] : spokenIn(languages),
    zone,
    today: day,
  };
};

/** The same form as another language has it. */
const sameIn = (said: Model, { id }: Table, form: Form): { readonly table: Table; readonly form: Form } => {
  const table = tableOf(said, id);
  return { table, form: formsOf(table).find((one) => one.id === form.id) ?? form };
};

/** The languages that a visitor can choose among, the first one first. */
function spokenIn(languages: readonly Language[]): { readonly code: string; readonly label: string }[] {
  const first = firstCode(languages);
  const named = languages.filter(({ first: isFirst }) => !isFirst).map(({ code, label }) => ({ code, label }));
  const label = languages.find(({ code }) => code === first)?.label;
  return [{ code: first, label: label ?? languageName(first) }, ...named];
}
