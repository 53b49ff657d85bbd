import Joi from 'joi';
import { applyChange } from '$core/changes/change';
import type { Change } from '$core/types/change';
import type { Model } from '$core/types/model';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import { oneOf } from '../../http/oneOf';
import { copyTableChanges, type CopyWish } from './copyTable';
import { feedChanges } from './feeds';
import { fieldChanges } from './fields';
import { linkChanges } from './links';
import { optionChanges } from './options';
import { partChanges } from './parts';
import { ruleChanges } from './rules';
import { tableIn, type OfTable, type Sender, type Sending, type SentChange } from './sent';
import type { ReadChange } from './structureImport';
import { tableChanges, tableMembers } from './tables';

const copies = {
  copyTable: {
    members: {
      ...tableMembers,
      title: Joi.forbidden(),
      table: Joi.string().required(),
      label: tableMembers.label.required(),
    },
    expand: (json, sending) => copyTableChanges(sending.model(), tableIn(json, sending), json, readChange(sending)),
  } satisfies SentChange<OfTable & CopyWish>,
};

/** The registry: each kind of change that programs write stands here once, by subject. */
const sentChanges = {
  ...tableChanges,
  ...copies,
  ...fieldChanges,
  ...ruleChanges,
  ...partChanges,
  ...feedChanges,
  ...optionChanges,
  ...linkChanges,
};

type Entries = typeof sentChanges;
type Sent = { [K in keyof Entries]: { readonly do: K } & Parameters<Entries[K]['expand']>[0] };

/** A change as programs write it. */
export type ChangeJson = Sent[keyof Entries];

function schemaOf(name: string, { members, by, together }: SentChange<never>): Joi.Schema {
  const shape = (more: Joi.SchemaMap = {}) => {
    const schema = Joi.object({ do: Joi.string().valid(name).required(), ...members, ...more });
    return together?.(schema) ?? schema;
  };
  if (!by) return shape();
  const kinds = Object.entries(by.shapes).map(([kind, more]) => {
    const member = { [by.member]: Joi.string().valid(kind).required() };
    return [kind, shape({ ...member, ...more })] as const;
  });
  return oneOf(by.member, Object.fromEntries(kinds));
}

/** What `changes` of a plan holds. */
export const changesSchema = Joi.array()
  .min(1)
  .max(5000)
  .items(
    oneOf('do', Object.fromEntries(Object.entries(sentChanges).map(([name, entry]) => [name, schemaOf(name, entry)]))),
  );

/** Reads one change of a structure that was written out, in which more may stand than a change holds. */
export const readChange =
  (sender: Sender): ReadChange =>
  (model, json) => {
    const { value, error } = changesSchema.validate([json], { stripUnknown: true });
    if (error)
      throw refuse(
        400,
        `${error.message}.`,
        'Send a structure as it is exported.',
        `/${error.details[0]?.path.slice(1).join('/') ?? ''}`,
      );
    return changesFromJson(model, value as ChangeJson[], sender);
  };

/** Changes as they were sent, with names looked up and identities given; each sees what those before it made. */
export const changesFromJson = (model: Model, sent: readonly ChangeJson[], sender: Sender = {}): Change[] =>
  expandedChanges(model, sent, sender).changes;

/** Who sends changes, as far as these go by it. */
export const senderOf = ({ person, whole, workspace }: WorkspaceAccess): Sender => ({
  maker: person.id,
  taken: whole === workspace ? [] : whole.model.tables.filter(({ home }) => home === undefined).map(({ key }) => key),
});

/** The same with the place in what was sent from which each change comes. */
export function expandedChanges(
  model: Model,
  sent: readonly ChangeJson[],
  sender: Sender = {},
): { changes: Change[]; sources: number[] } {
  const changes: Change[] = [];
  const sources: number[] = [];
  let current = model;
  for (const [index, json] of sent.entries()) {
    const sending: Sending = {
      maker: sender.maker,
      taken: sender.taken,
      model: () => current,
      at: `/changes/${index}`,
    };
    // Entry and change have the same name, which TypeScript cannot follow through the union.
    const { expand } = sentChanges[json.do] as SentChange<ChangeJson>;
    for (const change of expand(json, sending)) {
      changes.push(change);
      sources.push(index);
      const applied = applyChange(current, change);
      // What cannot be applied is said by the plan's effects; names after it are looked up without it.
      current = applied.ok ? applied.value : current;
    }
  }
  return { changes, sources };
}
