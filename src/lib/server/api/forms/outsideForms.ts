import Joi from 'joi';
import { rm } from 'node:fs/promises';
import { formPage } from '$core/forms/formPage';
import { fieldItems } from '$core/forms/form';
import { openForm, noSuchForm } from '../../forms/addresses';
import { sendFromOutside } from '../../forms/entries';
import { endpoint, type CallContext } from '../../http/endpoint';
import { textWithin } from '../../http/body';
import { holdsOnlyText } from '../../http/json';
import { filesSent, isJson, receiveParts } from '../../http/upload';
import { refuse } from '../../base/refusal';
import { whole } from '../../base/listed';
import { candidatesOf } from '../../query/candidates';

const ofForm = '/api/forms/{secret}';
const fileLimits = { files: 10, size: 20 * 1024 * 1024, words: '20 MB' };

const open = ({ pool, params }: Pick<CallContext, 'pool' | 'params'>) => openForm(pool, params.secret ?? '');

export const getForm = endpoint({
  method: 'GET',
  path: ofForm,
  summary: 'A form as outsiders get it, and no more of the workspace than that',
  open: true,
  answers: '{form, model, table, zone, today}, or {ended} once it takes nothing any more',
  answer: async (call) => {
    const { access, table, form, ended } = await open(call);
    if (ended !== null) return { ended, label: form.label };
    return {
      ended,
      ...formPage(access.workspace.model, table, form),
      zone: access.workspace.zone,
      today: access.workspace.day,
    };
  },
});

export const postOutsideCandidates = endpoint({
  method: 'POST',
  path: `${ofForm}/candidates`,
  reads: true,
  summary: 'Records that a link on the form can be pointed at, by their titles alone',
  open: true,
  body: Joi.object({
    field: Joi.string().max(63).required(),
    q: Joi.string().allow('').max(200).default(''),
    values: Joi.object().default({}),
  }),
  answers: '{items: [{id, title}], next: null}, 20 at most',
  answer: async (call) => {
    const { access, table, form, ended } = await open(call);
    const { field: key, q, values } = call.body as { field: string; q: string; values: Record<string, unknown> };
    const field = table.fields.find((one) => one.key === key);
    const item = fieldItems(form).find((one) => one.field === field?.id);
    if (ended !== null || !field || !item?.offers || item.hidden) throw noSuchForm();
    // What is filled in so far counts only where the form asks for it.
    const asked = new Set(fieldItems(form).map((one) => one.field));
    const draft = Object.fromEntries(
      table.fields
        .filter((one) => asked.has(one.id) && values[one.key] != null)
        .map((one) => [one.key, values[one.key]]),
    );
    const found = await candidatesOf(call.pool, access, table, field, {
      typed: q,
      limit: 20,
      record: null,
      draft,
      offers: item.offers,
      outside: true,
    });
    return whole(found.map(({ id, title }) => ({ id, title })));
  },
});

const sent = Joi.object({ values: Joi.object().required() });
/** The same as a part of a form, beside files under the names of their fields. */
const sentWithFiles = { ...filesSent, properties: { values: { type: 'string' } }, required: ['values'] };

export const postOutsideEntry = endpoint({
  method: 'POST',
  path: `${ofForm}/entries`,
  summary:
    'Send a form: {values} as JSON, or multipart with a part `values` and each file as a part named by its field',
  open: true,
  streams: true,
  sends: { 'application/json': sent, 'multipart/form-data': sentWithFiles },
  answers:
    '{thanks, next}; once for an Idempotency-Key; 410 once it takes nothing any more, 422 with `problems` for all that is wrong, 429 past the hourly limit',
  answer: async (call) => {
    const opened = await open(call);
    const { request } = call.event;
    const key = request.headers.get('idempotency-key')?.slice(0, 200) ?? null;
    const { files, texts } = isJson(call.event)
      ? { files: [], texts: new Map([['values', valuesIn(await textWithin(request, 1024 * 1024, '1 MB'))]]) }
      : await receiveParts(call.event, fileLimits);
    try {
      const values = parsed(texts.get('values') ?? '{}');
      await sendFromOutside(call.pool, opened, { values, files, key, place: call.event.getClientAddress() });
      return { thanks: opened.form.thanks, next: opened.form.next };
    } finally {
      await Promise.all(files.map(({ path }) => rm(path, { force: true })));
    }
  },
});

const mostText = 1024 * 1024;

/** The values of a JSON body as text again, so that both ways are read in one. */
function valuesIn(text: string): string {
  if (text.length > mostText) throw refuse(413, 'The entry is larger than 1 MB.', 'Write less, or send it as a file.');
  const { value, error } = sent.validate(parsed(text)) as Joi.ValidationResult<{ values: unknown }>;
  if (error) throw refuse(400, 'The entry has no values.', 'Send {"values": {…}}.');
  return JSON.stringify(value.values);
}

function parsed(text: string): Record<string, unknown> {
  try {
    const value: unknown = holdsOnlyText(text) ? JSON.parse(text) : null;
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value as Record<string, unknown>;
  } catch {
    // Said below, with what else is no object.
  }
  throw refuse(400, 'The entry cannot be read.', 'Send its values as a JSON object.');
}
