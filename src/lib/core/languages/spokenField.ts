import { isSystem } from '../model/model';
import type { TurnText } from '../parts/part';
import type { Field } from '../types/field';

/** A field with all that people read in it said anew. */
export function spokenField(field: Field, turn: TurnText): Field {
  // What every table has is said by the program, unless somebody shows it.
  if (isSystem(field) && field.off) return field;
  const { type, placeholder, example } = field;
  return {
    ...field,
    label: turn(field.label),
    help: turn(field.help, 'help'),
    ...(placeholder === undefined ? {} : { placeholder: turn(placeholder, 'shown in the empty field') }),
    ...(example === undefined ? {} : { example: turn(example, 'example') }),
    type:
      type.kind === 'option' || type.kind === 'options'
        ? { ...type, options: type.options.map((option) => ({ ...option, label: turn(option.label, 'option') })) }
        : type,
  };
}
