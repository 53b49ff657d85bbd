import { checkForm } from '../forms/checkForm';
import { conditionsOf, newForm, readsItself, withConditions, withField } from '../forms/form';
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
  keeping: (part, kept) => withConditions(part, (condition) => (kept(condition) ? condition : null)),
  following: (part, { old, now, own, turned, same }) => {
    const told = withConditions(part, (condition, when) => {
      const now = turned(condition);
      // A form knows only what is filled in on it: what asks about a link's record then is no longer told, as it says.
      return when === 'shownIf' && !readsItself(now) ? condition : now;
    });
    return own ? withField(told, old, now, same) : told;
  },
  spoken: (part, turn) => ({
    ...part,
    label: turn(part.label),
    intro: turn(part.intro, 'read before one begins'),
    thanks: turn(part.thanks, 'read when it was sent'),
    closed: turn(part.closed, 'read once it has ended'),
    next: part.next && { ...part.next, label: turn(part.next.label, 'follow-up link') },
    sections: part.sections.map((section) => ({
      ...section,
      label: turn(section.label, 'section'),
      about: turn(section.about, 'about a section'),
      items: section.items.map((item) => ({
        ...item,
        ...(item.label === undefined ? {} : { label: turn(item.label, 'label of a field') }),
        ...('help' in item && item.help !== undefined ? { help: turn(item.help, 'help of a field') } : {}),
        ...('placeholder' in item && item.placeholder !== undefined
          ? { placeholder: turn(item.placeholder, 'shown in the empty field') }
          : {}),
      })),
    })),
  }),
  blank: ({ audience }) => newForm((audience as FormAudience | undefined) ?? 'inside'),
  print: (model, table, part) => {
    const { form: json, lost } = formJson(model, table, part);
    return { json: { ...json }, lost };
  },
  read: (model, table, id, json) => readForm(model, table, id, json as unknown as FormJson),
};
