import { bad, good } from '../base/problem';
import { spokenField } from '../languages/spokenField';
import { feedOf } from '../flow/feeds';
import {
  formulasOfRoutine,
  lostIn,
  printRoutine,
  readRoutine,
  turnedRoutine,
  withoutGiven,
  writtenBy,
} from '../routines/routine';
import { givenIn } from '../routines/scope';
import { triggerKinds } from '../routines/triggers';
import type { Routine } from '../types/routine';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** Steps that run by themselves. */
    readonly routine: Routine;
  }
}

/** A routine that uses what is gone says so, and is held. */
export const routine: PartDescriptor<'routine'> = {
  word: 'routine',
  words: 'routines',
  idPrefix: 'a',
  needs: 'routines',
  check: (_, table, { when, steps }) =>
    steps.length === 0
      ? bad('The routine has no step.', 'Add one.', '/steps')
      : feedOf(table) && when.on === 'sent'
        ? bad('No form makes records of a feed.', 'Choose something else that happens.', '/when')
        : good(true),
  conditions: (part) => {
    const given = givenIn(part);
    return formulasOfRoutine(part).map((formula) => ({ condition: withoutGiven(formula, given) }));
  },
  touches: (part) => ({ watches: triggerKinds(part.when).reads(part.when), writes: writtenBy(part) }),
  // What somebody may not see of it is for who manages routines: these see all, or it is held.
  keeping: (part) => part,
  following: (part, { old, now, turned }) =>
    turnedRoutine(part, { formula: turned, field: (id) => (id === old ? now : id) }),
  // What its messages say is for whoever gets them, whose language is not known.
  spoken: (part, turn) => ({
    ...part,
    label: turn(part.label),
    when:
      part.when.on === 'button'
        ? {
            ...part.when,
            inputs: part.when.inputs.map((input) =>
              spokenField(input, (text, what) => turn(text, what ? `question · ${what}` : 'question')),
            ),
          }
        : part.when,
  }),
  blank: () => ({ id: '', label: '', on: false, when: { on: 'made' }, where: null, steps: [], failing: 'refuse' }),
  print: (model, table, part) => ({ json: { ...printRoutine(model, table, part) }, lost: lostIn(model, table, part) }),
  read: (model, table, id, json) => readRoutine(model, table, id, json),
};
