import { goto } from '$app/navigation';
import type { Model, Table } from '$core/types/model';
import { shownColumns, viewOfAll, wholeView, type ShownColumn } from '$core/views/view';
import type { View } from '$core/types/view';
import type { Problem } from '$core/base/problem';
import { addressNames, readView, viewAddress, viewAt, viewJson, type ViewJson } from '$core/views/viewJson';
import { call, workspacePath, type Answer } from '../api';
import { renewed } from '../renewed';

/** A view as the page got it: in writing, whose it is, and what of it is lost. */
export interface HeldViewJson {
  readonly id: string;
  readonly personal: boolean;
  readonly favourite: boolean;
  readonly view: ViewJson;
  readonly lost: readonly string[];
}

interface Place {
  readonly workspace: string;
  readonly model: Model;
  readonly table: Table;
  readonly views: readonly HeldViewJson[];
  readonly url: URL;
}

/**
 * The view that a page shows: a saved one with what its address says otherwise. So a change that is not saved is part
 * of the address, can be sent and gone back from, and is seen as such.
 */
export class ShownView {
  private readonly place: () => Place;

  constructor(place: () => Place) {
    this.place = place;
  }

  private readonly asked = $derived.by(() => this.place().url.searchParams.get('view'));
  /** The saved view; the address may name one that is gone or not one's own. */
  readonly held = $derived.by(() => {
    const { views } = this.place();
    return (views.find(({ id }) => id === (this.asked ?? wholeView)) ?? views[0]) as HeldViewJson;
  });
  readonly missing = $derived.by(() => this.asked !== null && this.asked !== this.held.id);
  /** What is shown, in writing. */
  readonly now = $derived.by(() => viewAt(this.held.view, this.place().url.searchParams));
  private readonly read = $derived.by(() => readView(this.place().model, this.place().table, this.held.id, this.now));
  /** Why what the address says cannot be shown; then the saved view is. */
  readonly problem = $derived.by((): Problem | null => (this.read.ok ? null : this.read.problem));
  readonly view = $derived.by((): View => {
    if (this.read.ok) return this.read.value;
    const saved = readView(this.place().model, this.place().table, this.held.id, this.held.view);
    return saved.ok ? saved.value : viewOfAll();
  });
  /** The same in writing. */
  readonly written = $derived.by(() =>
    this.read.ok ? this.now : viewJson(this.place().model, this.place().table, this.view).view,
  );
  readonly columns = $derived.by((): ShownColumn[] => shownColumns(this.place().table, this.view));
  /** The parts that are not saved. */
  readonly unsaved = $derived.by(() => Object.keys(viewAddress(this.held.view, this.now)) as (keyof ViewJson)[]);
  /** Groups come first in the order, as records are grouped by them. */
  readonly order = $derived.by(() => [this.written.groups, this.written.sort].filter(Boolean).join(','));

  /** Shows the view otherwise, for now. */
  set(parts: Partial<ViewJson>, replace = false): void {
    const said = viewAddress(this.held.view, { ...this.now, ...parts });
    this.go(this.held.id, said, replace);
  }

  /** Shows another view. */
  open(id: string): void {
    this.go(id, {});
  }

  reset(): void {
    this.go(this.held.id, {});
  }

  addressOf(id: string, said: Readonly<Record<string, string>> = {}): string {
    const query = new URLSearchParams(this.place().url.searchParams);
    for (const name of ['record', 'view', ...addressNames]) query.delete(name);
    if (id !== wholeView) query.set('view', id);
    for (const [name, value] of Object.entries(said)) query.set(name, value);
    const written = query.toString();
    return written === '' ? this.place().url.pathname : `?${written}`;
  }

  private go(id: string, said: Readonly<Record<string, string>>, replace = false): void {
    void goto(this.addressOf(id, said), { keepFocus: true, noScroll: true, replaceState: replace });
  }

  private path(rest = ''): string {
    const { workspace, table } = this.place();
    return workspacePath(workspace, `/tables/${table.key}/views${rest}`);
  }

  /** Keeps what is shown as the view that it began from. */
  async save(personal = this.held.personal, label = this.now.label): Promise<Answer<{ id: string }>> {
    const { id } = this.held;
    return this.after(
      await call<{ id: string }>('PATCH', this.path(`/${id}`), { view: { ...this.written, label }, personal }),
      id,
    );
  }

  /** Keeps what is shown as a view of its own. */
  async saveAs(label: string, personal: boolean): Promise<Answer<{ id: string }>> {
    const answer = await call<{ id: string }>('POST', this.path(), { view: { ...this.written, label }, personal });
    return this.after(answer, answer.ok ? answer.value.id : this.held.id);
  }

  async change(
    id: string,
    parts: { personal?: boolean; at?: number; favourite?: boolean },
  ): Promise<Answer<{ id: string }>> {
    return this.after(await call<{ id: string }>('PATCH', this.path(`/${id}`), parts), null);
  }

  async remove(): Promise<Answer<{ id: string }>> {
    return this.after(await call<{ id: string }>('DELETE', this.path(`/${this.held.id}`)), wholeView);
  }

  private async after(answer: Answer<{ id: string }>, open: string | null): Promise<Answer<{ id: string }>> {
    if (!answer.ok) return answer;
    await renewed('loom:model');
    if (open !== null) this.open(open);
    return answer;
  }
}
