import Joi from 'joi';
import { formsOf, newForm, standingForm } from '$core/forms/form';
import type { Form } from '$core/types/form';
import { formJson, type FormJson } from '$core/forms/formJson';
import type { Table } from '$core/types/model';
import { designsTable, requireDesign } from '../../access/changeRights';
import { tableAt } from '../../access/workspaceAccess';
import { addressesOf, changeAddress, makeAddress, removeAddress, type AddressSettings } from '../../forms/addresses';
import { sendEntry, type SentEntry } from '../../forms/entries';
import { workspaceEndpoint, type WorkspaceCall } from '../../http/endpoint';
import { refuse } from '../../base/refusal';
import { recordId, wholeNumber } from '../../base/numbers';
import { candidatesOf } from '../../query/candidates';
import {
  addTablePart,
  partNamed,
  removeTablePart,
  requireOver,
  savedPart,
  saveTablePart,
} from '../../structure/tableParts';
import { partFrom } from '../changes/parts';
import { formSchema } from './formSchema';
import { whole } from '../../base/listed';

const ofTable = '/api/workspaces/{ws}/tables/{t}/forms';
const place = wholeNumber.description('its place among the forms of the table');

function formOf({ access, params }: Pick<WorkspaceCall, 'access' | 'params'>): { table: Table; form: Form } {
  const table = tableAt(access, params.t ?? '');
  return { table, form: partNamed({ kind: 'form', table }, params.id ?? '') };
}

/** The same for those who design the table. */
function designedFormOf(call: Pick<WorkspaceCall, 'access' | 'params'>): { table: Table; form: Form } {
  const found = formOf(call);
  requireDesign(call.access, found.table.id);
  return found;
}

export const listForms = workspaceEndpoint({
  method: 'GET',
  path: ofTable,
  summary: 'The forms of a table',
  needs: 'write',
  answers:
    '{items: [{id, form, lost, addresses}], next: null}; `lost` says what of it uses fields that are gone; `addresses` for administrators',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const forms = formsOf(table).map(async (form) => ({
      id: form.id,
      ...formJson(access.workspace.model, table, form),
      ...(designsTable(access, table.id) ? { addresses: await addressesOf(pool, access, form) } : {}),
    }));
    return whole(await Promise.all(forms));
  },
});

export const postForm = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Put a form beside the others of a table',
  needs: 'design',
  body: Joi.object({ form: formSchema.required(), at: place }),
  answers: '{id, saved: the design as it is written}; 409 where one has that name',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { form, at } = body as { form: Partial<FormJson>; at?: number };
    const made = await addTablePart(
      pool,
      access,
      { kind: 'form', table },
      partFrom(access.workspace.model, table, 'form', newForm(form.audience ?? 'inside'), form, '/form'),
      at,
    );
    return savedPart(access, { kind: 'form', table }, made);
  },
});

export const patchForm = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}`,
  summary: 'Save another design of a form, or put it elsewhere among the others',
  needs: 'design',
  body: Joi.object({ form: formSchema, over: formSchema.description('the design this one was made on'), at: place }).or(
    'form',
    'at',
  ),
  answers: '{id, saved: the design as it is written}; 409 where another design than `over` stands by now',
  answer: async (call) => {
    const { table, form } = formOf(call);
    const { form: sent = {}, over, at } = call.body as { form?: Partial<FormJson>; over?: FormJson; at?: number };
    const { model } = call.access.workspace;
    if (over) requireOver(model, { kind: 'form', table }, form, { ...over });
    const saved = partFrom(model, table, 'form', form, sent, '/form');
    await saveTablePart(call.pool, call.access, { kind: 'form', table }, saved, at);
    return savedPart(call.access, { kind: 'form', table }, saved);
  },
});

export const deleteForm = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/{id}`,
  summary: 'Take a form away; the records that came in by it stay',
  needs: 'design',
  answers: '{id}',
  answer: async (call) => {
    const { table, form } = formOf(call);
    await removeTablePart(call.pool, call.access, { kind: 'form', table }, form.id);
    return { id: form.id };
  },
});

export const postEntry = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/{id}/entries`,
  summary: 'Make a record by a form, or change one: what is hidden, shown and offered there holds',
  needs: 'write',
  body: Joi.object({
    values: Joi.object().required(),
    record: recordId.min(1).description('the record to change; without it one is made'),
    version: wholeNumber,
  }),
  answers: '{batch, records}; 422 with `problems` [{field, message, fix}] for all that is wrong',
  answer: async (call) => {
    const { table, form } = formOf(call);
    return sendEntry(
      call.pool,
      call.access,
      table,
      standingForm(call.access.workspace.model, table, form),
      call.body as SentEntry,
    );
  },
});

export const postOffered = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/{id}/candidates/{f}`,
  reads: true,
  summary: 'Records that a link on a form can be pointed at',
  needs: 'write',
  body: Joi.object({
    q: Joi.string().allow('').max(200).default(''),
    record: recordId.allow(null).default(null),
    values: Joi.object().default({}),
  }),
  answers: '{items: [{id, title, shows}], next: null}, 20 at most',
  answer: async (call) => {
    const { table, form } = formOf(call);
    const { q, record, values } = call.body as { q: string; record: number | null; values: Record<string, unknown> };
    return whole(await offered(call, table, form, { q, record, values }));
  },
});

interface Asked {
  readonly q: string;
  readonly record: number | null;
  readonly values: Readonly<Record<string, unknown>>;
}

/** What a link on a form offers: the field's own limit and that of the form. */
function offered({ pool, access, params }: WorkspaceCall, table: Table, form: Form, { q, record, values }: Asked) {
  const field = table.fields.find(({ key }) => key === params.f);
  const items = standingForm(access.workspace.model, table, form).sections.flatMap(({ items: all }) => all);
  const item = items.find((one) => one.field === field?.id);
  if (!field || item?.kind !== 'field') throw refuse(404, 'The form has no such field.', 'Load the form again.');
  return candidatesOf(pool, access, table, field, { typed: q, limit: 20, record, draft: values, offers: item.offers });
}

const settings = {
  label: Joi.string().trim().min(1).max(120).description('whom it is given to'),
  expiresAt: Joi.string().isoDate().allow(null).description('RFC 3339; null never ends'),
  most: wholeNumber.min(1).allow(null).description('entries in all; null takes any number'),
  mostHourly: Joi.number().integer().min(1).max(100_000).description('entries from one place within an hour'),
  closed: Joi.boolean(),
};

export const listAddresses = workspaceEndpoint({
  method: 'GET',
  path: `${ofTable}/{id}/addresses`,
  summary: 'The addresses by which outsiders can fill in a form',
  needs: 'design',
  answers: '{items: [{id, path, label, madeAt, expiresAt, most, mostHourly, closed, entries}], next: null}',
  answer: async (call) => whole(await addressesOf(call.pool, call.access, designedFormOf(call).form)),
});

export const postAddress = workspaceEndpoint({
  method: 'POST',
  path: `${ofTable}/{id}/addresses`,
  summary: 'Make an address of a form for outsiders; it cannot be guessed',
  needs: 'design',
  body: Joi.object({
    label: settings.label.required(),
    expiresAt: settings.expiresAt.default(null),
    most: settings.most.default(null),
    mostHourly: settings.mostHourly.default(60),
    closed: settings.closed.default(false),
  }),
  answers: 'the address; 422 for a form for inside',
  answer: async (call) => {
    const { table, form } = designedFormOf(call);
    return makeAddress(call.pool, call.access, table, form, call.body as AddressSettings);
  },
});

export const patchAddress = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}/addresses/{a}`,
  summary: 'Close an address or open it again, change its end and limits',
  needs: 'design',
  body: Joi.object(settings).min(1),
  answers: 'the address',
  answer: async (call) =>
    changeAddress(
      call.pool,
      call.access,
      designedFormOf(call).form,
      Number(call.params.a) || 0,
      call.body as Partial<AddressSettings>,
    ),
});

export const deleteAddress = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/{id}/addresses/{a}`,
  summary: 'Take an address away: it opens nothing from then on',
  needs: 'design',
  answers: '{id}',
  answer: async (call) => {
    await removeAddress(call.pool, call.access, designedFormOf(call).form, Number(call.params.a) || 0);
    return { id: Number(call.params.a) };
  },
});
