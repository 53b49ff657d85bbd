/** One step of the tour: where it points, below the workspace, and what one does there. */
export interface TourStep {
  /** The address of a station, below the workspace; null is the first of its tables, or the way to make one. */
  readonly at: string | null;
  readonly title: string;
  readonly text: string;
}

/** The steps, in the language that is spoken. */
export const tourSteps = (): readonly TourStep[] => [
  {
    at: '/intake',
    title: 'Bring in what you have',
    text: 'Drop your spreadsheets there, several at once. Columns, keys and links are found, and nothing is made until you load.',
  },
  {
    at: '/weave',
    title: 'See what belongs together',
    text: 'Weave is the map of your tables. Drag from one table to another to link them; click one to see its fields.',
  },
  {
    at: null,
    title: 'Work in a table',
    text: 'Type in the grid as in a spreadsheet: Enter edits, Tab goes on. A link is chosen by its title and followed from both sides.',
  },
  {
    at: '',
    title: 'Let fields calculate',
    text: 'In the Structure of a table, fields get their types, rules and formulas. What a change does is shown before it is made.',
  },
  {
    at: '/summaries',
    title: 'Ask and be answered',
    text: 'Summaries are pages of numbers, charts and lists, always as the records are now. Forms ask others for what is missing.',
  },
  {
    at: '/history',
    title: 'Nothing is lost',
    text: 'Every edit, plan and load stands in History and can be undone. Ctrl+K finds anything, and starts this tour again.',
  },
];

const kept = 'loom:tour';

/** Where one is in the tour; it goes on over pages, and is left for as long as the tab is open. */
class Tour {
  step = $state<number | null>(null);

  /** Goes on where one was before the page was loaded. */
  resume(): void {
    const at = sessionStorage.getItem(kept);
    if (at !== null) this.step = Number(at) || 0;
  }

  begin(): void {
    this.go(0);
  }

  go(step: number): void {
    this.step = step;
    sessionStorage.setItem(kept, String(step));
  }

  leave(): void {
    this.step = null;
    sessionStorage.removeItem(kept);
  }
}

export const tour = new Tour();
