import { makesBoard, makesCalendar } from './view';
import type { Field } from '../types/field';
import type { ViewKind } from '../types/view';

declare module '../types/view' {
  interface ViewKinds {
    readonly grid: true;
    readonly beside: true;
    readonly cards: true;
    readonly board: true;
    readonly calendar: true;
  }
}

/** What a view is laid out by, besides its columns. */
export type LayoutPart = 'by' | 'until' | 'picture';

/** A field that people choose for a kind of view, as `by` or `until`. */
export interface LayoutSetting {
  readonly part: LayoutPart;
  /** Before the choice, as in “as Board by …”. */
  readonly word: string;
  readonly label: string;
  readonly fits: (field: Field) => boolean;
  /** What choosing no field is called; without it one must be chosen. */
  readonly none?: string;
  /** Which fields it takes, said where a table has none; without it the choice is not offered there. */
  readonly needs?: string;
}

/** All that the core knows of one kind of view. */
export interface ViewKindDescriptor {
  readonly label: string;
  readonly settings: readonly LayoutSetting[];
  /** What its records are grouped by: the groups of the view, or the field it is laid out by. */
  readonly groupedBy: 'groups' | 'by' | null;
  /** Whether they are sorted as the view says. */
  readonly sorts: boolean;
}

const plain = { settings: [], groupedBy: null, sorts: true };

/** The registry: each kind of view stands here once, in the order in which they are offered. */
export const viewKindDescriptors: { readonly [K in ViewKind]: ViewKindDescriptor } = {
  grid: { ...plain, label: 'Grid', groupedBy: 'groups' },
  beside: { ...plain, label: 'List and record' },
  cards: {
    ...plain,
    label: 'Cards',
    settings: [
      {
        part: 'picture',
        word: 'with',
        label: 'Pictures',
        fits: ({ type }) => type.kind === 'pictures',
        none: 'no picture',
      },
    ],
  },
  board: {
    ...plain,
    label: 'Board',
    groupedBy: 'by',
    settings: [
      {
        part: 'by',
        word: 'by',
        label: 'Board by',
        fits: makesBoard,
        needs: 'A board is laid out by an option, a link, a person or a yes/no.',
      },
    ],
  },
  calendar: {
    ...plain,
    label: 'Calendar',
    settings: [
      { part: 'by', word: 'by', label: 'Calendar by', fits: makesCalendar, needs: 'A calendar needs a date.' },
      { part: 'until', word: 'until', label: 'Until', fits: makesCalendar, none: 'the same day' },
    ],
    sorts: false,
  },
};

export const viewKinds = Object.keys(viewKindDescriptors) as readonly ViewKind[];

/** Whether a field can stand in a part of the layout; a view keeps what it was laid out by while it is another kind. */
export function fitsLayout(kind: ViewKind, part: LayoutPart, field: Field): boolean {
  const own = viewKindDescriptors[kind].settings.find((setting) => setting.part === part);
  const others = viewKinds.flatMap((other) => viewKindDescriptors[other].settings.filter((one) => one.part === part));
  return own ? own.fits(field) : part === 'by' || others.some((other) => other.fits(field));
}

/** The setting of a kind that must be chosen; null where a view of it is complete by itself. */
export const neededSetting = (kind: ViewKind): LayoutSetting | null =>
  viewKindDescriptors[kind].settings.find(({ none }) => none === undefined) ?? null;
