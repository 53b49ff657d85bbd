import Joi from 'joi';
import { changesToEndFeed, changesToRemoveSource } from '$core/changes/feedPlans';
import { feedOf } from '$core/flow/feeds';
import type { Table } from '$core/types/model';
import { refuse } from '../../base/refusal';
import { known, tableIn, type OfTable, type Sending, type SentChange } from './sent';

const members = { table: Joi.string().required() };

function fedTable(json: OfTable, sending: Sending): Table {
  const table = tableIn(json, sending);
  if (feedOf(table)) return table;
  throw refuse(422, `${table.label} is fed from no other table.`, 'Choose another table.', `${sending.at}/table`);
}

/** Changes that end what feeds a table; a source is added by a transfer. */
export const feedChanges = {
  endFeed: {
    members,
    expand: (json, sending) => changesToEndFeed(sending.model(), fedTable(json, sending).id),
  } satisfies SentChange<OfTable>,
  removeFeedSource: {
    members: { ...members, link: Joi.string().required().description('the link of the source') },
    expand(json, sending) {
      const table = fedTable(json, sending);
      return changesToRemoveSource(sending.model(), table.id, known(table, json.link, sending.at).id);
    },
  } satisfies SentChange<OfTable & { readonly link: string }>,
};
