import Joi from 'joi';
import { newId } from '$core/types/identity';
import {
  changesLinkManyness,
  changesLinkToText,
  changesOptionsToTable,
  changesTextToLink,
} from '$core/changes/linkPlans';
import { fieldNamed, isToMany, tableOf } from '$core/model/model';
import { refuse } from '../../base/refusal';
import { recordId } from '../../base/numbers';
import { fieldMembers } from './fields';
import { all, fieldIn, known, targetIn, type OfField, type SentChange } from './sent';

const label = Joi.string().trim().max(120);

type TextToLinkJson = OfField & {
  readonly to: string;
  readonly match?: string;
  readonly confirmed?: Record<string, number>;
  readonly missing?: 'setAside' | 'create';
  readonly many?: boolean;
  readonly counterpart?: { label?: string; key?: string; off?: true };
};

const manyness = (many: boolean): SentChange<OfField> => ({
  members: fieldMembers,
  expand(json, sending) {
    const { table, field } = fieldIn(json, sending);
    return all(changesLinkManyness(sending.model(), table.id, field.id, many), sending.at);
  },
});

/** Fields that become links, or something else than a link: each is a plan of several changes. */
export const linkChanges = {
  textToLink: {
    members: {
      ...fieldMembers,
      to: Joi.string().required(),
      match: Joi.string().description('the field of the target that the texts say; its title unless said otherwise'),
      confirmed: Joi.object()
        .pattern(Joi.string(), recordId)
        .description('near misses that were confirmed: text → record'),
      missing: Joi.string().valid('setAside', 'create').default('setAside'),
      many: Joi.boolean(),
      counterpart: Joi.object({ label, key: Joi.string(), off: Joi.boolean() }),
    },
    expand(json, sending) {
      const { at } = sending;
      const { table, field } = fieldIn(json, sending);
      const target = targetIn(json.to, sending, at);
      const match =
        json.match === undefined ? target.fields.find(({ id }) => id === target.title) : known(target, json.match, at);
      if (!match)
        throw refuse(422, `${target.label} has no title to compare with.`, 'Name the field in `match`.', `${at}/match`);
      const { many, confirmed, missing, counterpart } = json;
      const wish = { to: target.id, match: match.id, many, confirmed, missing, counterpart };
      return all(changesTextToLink(sending.model(), table.id, field.id, wish), at);
    },
  } satisfies SentChange<TextToLinkJson>,

  linkToText: {
    members: fieldMembers,
    expand(json, sending) {
      const { table, field } = fieldIn(json, sending);
      return all(changesLinkToText(sending.model(), table.id, field.id), sending.at);
    },
  } satisfies SentChange<OfField>,

  linkToOption: {
    members: fieldMembers,
    // By way of its text, which then becomes a list; the options are those of the records it can point at.
    *expand(json, sending) {
      const { table, field: link } = fieldIn(json, sending);
      yield* all(changesLinkToText(sending.model(), table.id, link.id), sending.at);
      const made = fieldNamed(tableOf(sending.model(), table.id), link.key);
      if (!made) throw refuse(422, `“${link.label}” cannot become a list.`, undefined, sending.at);
      yield {
        do: 'changeField',
        table: table.id,
        field: made.id,
        set: { type: { kind: isToMany(link) ? 'options' : 'option', options: [] } },
        keep: newId('k'),
      };
    },
  } satisfies SentChange<OfField>,

  linkToMany: manyness(true),
  linkToOne: manyness(false),

  optionsToTable: {
    members: { ...fieldMembers, label: label.required() },
    expand(json, sending) {
      const { table, field } = fieldIn(json, sending);
      return all(changesOptionsToTable(sending.model(), table.id, field.id, json.label), sending.at);
    },
  } satisfies SentChange<OfField & { readonly label: string }>,
};
