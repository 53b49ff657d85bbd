import Joi from 'joi';
import { checkCondition } from '$core/formula/checker';
import { newId } from '$core/types/identity';
import type { Breaking, Change } from '$core/types/change';
import { refuse } from '../../base/refusal';
import { breaking } from './fields';
import { known, tableIn, type OfTable, type Sending, type SentChange } from './sent';

const table = Joi.string().required();

type AddRuleJson = OfTable & {
  readonly message: string;
  readonly condition?: string;
  readonly unique?: readonly string[];
  readonly fromNow?: boolean;
  readonly breaking?: Breaking;
  readonly clear?: string;
};

function* addRule(json: AddRuleJson, sending: Sending): Generator<Change> {
  const { at } = sending;
  const table = tableIn(json, sending);
  const base = { id: newId('r'), message: json.message, ...(json.fromNow ? { fromNow: true as const } : {}) };
  const place = table.rules?.length ?? 0;
  const more = {
    ...(json.breaking ? { breaking: json.breaking } : {}),
    ...(json.clear ? { clear: known(table, json.clear, at).id } : {}),
  };
  if (json.unique) {
    yield {
      do: 'addRule',
      table: table.id,
      at: place,
      rule: { ...base, kind: 'unique', fields: json.unique.map((name) => known(table, name, at).id) },
      ...more,
    };
    return;
  }
  const { expression, problems } = checkCondition(sending.model(), table.id, json.condition ?? '');
  if (!expression)
    throw refuse(422, problems[0]?.message ?? 'The condition cannot be read.', problems[0]?.fix, problems[0]?.at);
  yield {
    do: 'addRule',
    table: table.id,
    at: place,
    rule: { ...base, kind: 'holds', condition: expression },
    ...more,
  };
}

/** Changes of the rules of a table. */
export const ruleChanges = {
  addRule: {
    members: {
      table,
      message: Joi.string().trim().max(300).required(),
      condition: Joi.string().max(10_000),
      unique: Joi.array().items(Joi.string()).min(2).max(8),
      fromNow: Joi.boolean(),
      breaking,
      clear: Joi.string().description('the field whose values are set aside where they break the rule'),
    },
    together: (schema: Joi.ObjectSchema) => schema.xor('condition', 'unique'),
    expand: addRule,
  } satisfies SentChange<AddRuleJson>,

  removeRule: {
    members: { table, rule: Joi.string().required() },
    *expand(json, sending) {
      yield { do: 'removeRule', table: tableIn(json, sending).id, rule: json.rule };
    },
  } satisfies SentChange<OfTable & { readonly rule: string }>,
};
