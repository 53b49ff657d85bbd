import { sourcesInto } from '$core/flow/feeds';
import { findField } from '$core/model/model';
import type { AddPart, ChangePart } from '$core/types/change';
import { feedCounts } from '../../records/feedRecords';
import type { StoredChange } from './descriptor';

/** Of the parts only feeds concern records: which of them there are is worked out anew. */
const ofFeeds: Required<Pick<StoredChange<AddPart | ChangePart>, 'counts' | 'work'>> = {
  async counts({ kind, table }, { client, access, after }) {
    if (kind !== 'feed') return {};
    const counts: { what: string; count: number }[] = [];
    for (const source of sourcesInto(after, table)) {
      const stands = findField(access.workspace.model, source.link.id) !== undefined;
      const { come, leave } = await feedCounts(client, { ...access.workspace, model: after }, source, stands);
      const from = source.source.label;
      if (come > 0) counts.push({ what: `${come === 1 ? 'record' : 'records'} of ${from} come in`, count: come });
      if (leave > 0) counts.push({ what: `${leave === 1 ? 'record' : 'records'} of ${from} leave`, count: leave });
    }
    return { counts };
  },
  work: async ({ kind, table }, { access }) =>
    kind === 'feed' ? { anew: sourcesInto(access.workspace.model, table).map(({ link }) => link.id) } : {},
};

export const addPart: StoredChange<AddPart> = ofFeeds;
export const changePart: StoredChange<ChangePart> = ofFeeds;
