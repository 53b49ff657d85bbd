import Joi from 'joi';
import { checkCondition } from '$core/formula/checker';
import type { Expression } from '$core/types/expression';
import { printFormula } from '$core/formula/printer';
import type { PartDescriptor } from '$core/parts/part';
import { partDescriptors, partKinds } from '$core/parts/parts';
import { good } from '$core/base/problem';
import type { Model, Table } from '$core/types/model';
import { partSchemas } from '$server/api/views/partSchemas';

/** A part that the product does not have: words about the records that meet a condition. */
interface Remark {
  readonly id: string;
  readonly label: string;
  readonly about: Expression | null;
}

const remark = {
  word: 'remark',
  words: 'remarks',
  idPrefix: 'v',
  needs: 'design',
  check: () => good(true),
  conditions: ({ about }: Remark) => (about ? [{ condition: about }] : []),
  keeping: (part: Remark, kept: (condition: Expression) => boolean) => ({
    ...part,
    about: part.about && kept(part.about) ? part.about : null,
  }),
  following: (part: Remark, { turned }: { turned: (condition: Expression) => Expression }) => ({
    ...part,
    about: part.about && turned(part.about),
  }),
  blank: () => ({ id: '', label: '', about: null }),
  print: (model: Model, _table: Table, { label, about }: Remark) => ({
    json: { label, about: about ? printFormula(model, about) : '' },
    lost: [],
  }),
  read: (model: Model, table: Table, id: string, { label, about }: { label: string; about: string }) =>
    good({ id, label, about: about ? (checkCondition(model, table.id, about).expression ?? null) : null }),
  // Its values are of its own shape, which the types of the product do not know.
} as unknown as PartDescriptor<'form'>;

Object.assign(partDescriptors, { remark });
(partKinds as unknown as string[]).push('remark');
Object.assign(partSchemas, {
  remark: Joi.object({ label: Joi.string().max(120), about: Joi.string().allow('').max(10_000) }),
});
