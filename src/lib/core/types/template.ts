import type { Dye } from './field';
import type { Icon } from './icons';

/** What a template says of itself. */
export interface TemplateHead {
  /** Its key: the same in all of its versions. */
  readonly name: string;
  readonly version: number;
  readonly label: string;
  readonly description: string;
  /** The trade or purpose that it is for, in a word or two: by this the gallery is searched. */
  readonly purpose: string;
  readonly dye: Dye;
  readonly icon: Icon | null;
}

/**
 * Sample records by the keys of their tables. Values as programs write them, by the keys of fields; a link is the `_id`
 * of a record of the samples.
 */
export type SampleRows = Readonly<Record<string, readonly SampleRow[]>>;
export type SampleRow = { readonly _id: number } & Readonly<Record<string, unknown>>;

/** A table of a template as its text holds it: as structure is written, by keys. */
interface TemplateTable {
  readonly key: string;
  readonly label: string;
  readonly description?: string;
  readonly dye?: Dye;
  readonly icon?: Icon | null;
  readonly title?: string | null;
  /** It stands for a table that is chosen when the template is applied. */
  readonly placeholder?: boolean;
  readonly fields: readonly (Readonly<Record<string, unknown>> & {
    readonly key: string;
    readonly label: string;
    readonly type: string;
  })[];
}

/** A template: tables with all that belongs to them, as one text. */
export interface Template extends TemplateHead {
  /** The format of the text. */
  readonly template: number;
  readonly tables: readonly TemplateTable[];
  readonly samples: SampleRows;
}

/** A template as a gallery shows it. */
export interface TemplateLook extends TemplateHead {
  /** The labels of its tables. */
  readonly tables: readonly string[];
  /** How many sample records it has. */
  readonly samples: number;
}
