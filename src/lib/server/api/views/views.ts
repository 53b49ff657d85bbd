import Joi from 'joi';
import { whole } from '../../base/listed';
import { viewOfAll } from '$core/views/view';
import { viewJson, type ViewJson } from '$core/views/viewJson';
import { tableAt } from '../../access/workspaceAccess';
import { workspaceEndpoint } from '../../http/endpoint';
import { wholeNumber } from '../../base/numbers';
import {
  addView,
  keptName,
  removeView,
  saveView,
  setFavourite,
  viewNamed,
  viewsOf,
  type ViewSaving,
} from '../../structure/views';
import { partFrom } from '../changes/parts';
import { viewSchema } from './viewSchema';

const ofTable = '/api/workspaces/{ws}/tables/{t}/views';
const saving = {
  personal: Joi.boolean()
    .default(true)
    .description('for yourself alone, or for everybody who sees the table (editors)'),
  at: wholeNumber.description('its place among the views of its kind'),
};

export const listViews = workspaceEndpoint({
  method: 'GET',
  path: ofTable,
  summary: 'The views of a table that you have: everybody’s, then your own',
  needs: 'see',
  answers:
    '{items: [{id, personal, favourite, view, lost}], next: null}; `lost` says what of it uses fields that are gone',
  answer: async ({ pool, access, params }) => {
    const table = tableAt(access, params.t ?? '');
    const views = await viewsOf(pool, access, table);
    return whole(
      views.map(({ view, personal, favourite }) => ({
        id: view.id,
        personal,
        favourite,
        ...viewJson(access.workspace.model, table, view),
      })),
    );
  },
});

export const postView = workspaceEndpoint({
  method: 'POST',
  path: ofTable,
  summary: 'Keep a view',
  needs: 'see',
  body: Joi.object({ view: viewSchema.required(), ...saving }),
  answers: '{id}; 409 where one has that name',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const { view, ...how } = body as { view: Partial<ViewJson> } & ViewSaving;
    const made = await addView(
      pool,
      access,
      table,
      partFrom(access.workspace.model, table, 'view', { ...viewOfAll(), id: '' }, view, '/view'),
      how,
    );
    return { id: made.id };
  },
});

export const patchView = workspaceEndpoint({
  method: 'PATCH',
  path: `${ofTable}/{id}`,
  summary:
    'Save a view anew, give it to everybody or take it for yourself, move it among the others, make it a favourite',
  needs: 'see',
  body: Joi.object({ view: viewSchema, personal: Joi.boolean(), at: saving.at, favourite: Joi.boolean() }).min(1),
  answers: '{id}',
  answer: async ({ pool, access, params, body }) => {
    const table = tableAt(access, params.t ?? '');
    const {
      view: sent,
      personal,
      at,
      favourite,
    } = body as { view?: Partial<ViewJson>; personal?: boolean; at?: number; favourite?: boolean };
    const id = params.id ?? '';
    const view = await viewNamed(pool, access, table, id);
    if (favourite !== undefined)
      await setFavourite(pool, access, { kind: 'view', target: keptName(table, view.id) }, favourite);
    if (sent !== undefined || personal !== undefined || at !== undefined) {
      const held = (await viewsOf(pool, access, table)).find((one) => one.view.id === view.id);
      await saveView(pool, access, table, partFrom(access.workspace.model, table, 'view', view, sent ?? {}, '/view'), {
        personal: personal ?? held?.personal ?? false,
        at,
      });
    }
    return { id: view.id };
  },
});

export const deleteView = workspaceEndpoint({
  method: 'DELETE',
  path: `${ofTable}/{id}`,
  summary: 'Take a view away; its records stay',
  needs: 'see',
  answers: '{id}',
  answer: async ({ pool, access, params }) => {
    await removeView(pool, access, tableAt(access, params.t ?? ''), params.id ?? '');
    return { id: params.id };
  },
});
