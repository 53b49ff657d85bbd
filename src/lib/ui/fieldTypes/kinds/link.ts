import { printFormula } from '$core/formula/printer';
import { fieldOf, linkedTable, overOf, typeAs } from '$core/model/model';
import type { Field, TypeOf } from '$core/types/field';
import type { Model } from '$core/types/model';
import LinksCell from '../cells/LinksCell.svelte';
import { linkChoices } from '../editors/linkChoices';
import type { Settled } from '../editors/later';
import ManyEditor from '../editors/ManyEditor.svelte';
import type { FieldDraft } from '../fieldDraft';
import type { FieldUi } from '../kind';

/** What was typed is the name of nothing there. */
export const notFound = (where: string, typed: string): Settled => ({
  ok: false,
  problem: { message: `Nothing in ${where} is called “${typed}”.`, fix: 'Choose one of the list, or correct it.' },
});

/** The table that a link points at, with its workspace where that is another. */
function tablePath(model: Model, field: Field): string {
  const target = linkedTable(model, field)?.table;
  return target ? (target.home === undefined ? target.key : `${target.home}.${target.key}`) : '';
}

export const link: FieldUi<'link'> = {
  group: 'From other records',
  Cell: LinksCell,
  choices: (place, _, typed) => linkChoices(place, typed),
  unlisted: ({ model, field }, _, typed) => notFound(linkedTable(model, field)?.table.label ?? '', typed),
  input: { control: 'link' },
  draft: {
    from: (type, model, field) => {
      const other = fieldOf(model, type.counterpart).field;
      return {
        to: tablePath(model, field),
        counterpart: other.label,
        counterpartShown: !other.off,
        onDelete: type.onDelete,
        shows: (type.shows ?? []).map((id) => fieldOf(model, id).field.key),
        candidates: type.candidates ? printFormula(model, type.candidates) : '',
      };
    },
    to: ({ to, onDelete, many, shows, candidates }) => ({
      to,
      onDelete,
      ...(many ? { many: true } : { shows, candidates }),
    }),
    settings: () => import('../settings/LinkSettings.svelte'),
  },
};

/** A link to many is set up as a link; the other side of a link is changed by that link. */
export const counterpart: FieldUi<'counterpart'> = {
  width: 96,
  Cell: LinksCell,
  Editor: () => ManyEditor,
  input: { control: 'link' },
  draft: {
    from: (_: TypeOf<'counterpart'>, model, field): Partial<FieldDraft> => {
      const far = typeAs(fieldOf(model, overOf(field) ?? '').field, 'link');
      const other = fieldOf(model, far.counterpart).field;
      return {
        type: 'link',
        many: true,
        to: tablePath(model, field),
        counterpart: other.label,
        counterpartShown: !other.off,
        onDelete: far.onDelete === 'prevent' ? 'prevent' : 'clear',
      };
    },
  },
};
