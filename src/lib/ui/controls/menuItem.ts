/** One line of a menu: it goes somewhere or does something. */
export interface MenuItem {
  readonly label: string;
  readonly keys?: string;
  readonly href?: string;
  readonly run?: () => void;
  /** Said once above the first item of each section. */
  readonly section?: string;
  /** The one that holds now. */
  readonly current?: boolean;
}
