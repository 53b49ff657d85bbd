import { checkForm } from '../forms/checkForm';
import { conditionsOf, newForm, withConditions, withField } from '../forms/form';
import { formJson, readForm, type FormJson } from '../forms/formJson';
import type { Form, FormAudience } from '../types/form';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    readonly form: Form;
  }
}

export const form: PartDescriptor<'form'> = {
  word: 'form',
  words: 'forms',
  idPrefix: 'o',
  needs: 'design',
  check: checkForm,
  conditions: (part) => conditionsOf(part).map((condition) => ({ condition })),
  keeping: withConditions,
  // What asks about the old field is no longer told, and the form says so.
  following: (part, { old, now, own }) => (own ? withField(part, old, now) : part),
  blank: ({ audience }) => newForm((audience as FormAudience | undefined) ?? 'inside'),
  print: (model, table, part) => {
    const { form: json, lost } = formJson(model, table, part);
    return { json: { ...json }, lost };
  },
  read: (model, table, id, json) => readForm(model, table, id, json as unknown as FormJson),
};
