import type { Problem } from '$core/base/problem';
import { valueJson, type EnteredType } from '$core/fieldTypes/registry';
import { readTyped } from '$core/fieldTypes/typed';
import { habit } from '../../values/habit';
import type { EditorProps } from '../kind';
import { Later, type Settled } from './later';

/** What is typed in an editor of one line or several: begun, read, kept or left. */
export class Typing {
  text = $state('');
  /** Why what was typed is no value; it stays to be corrected. */
  problem = $state.raw<Problem | null>(null);
  private done = false;
  /** As it was when the editor was opened: others may change the record meanwhile. */
  private readonly begun: string;
  private readonly opened: string | null;

  constructor(private readonly props: EditorProps) {
    [this.begun, this.opened] = [props.begun, props.start];
    this.text = this.opened ?? this.begun;
  }

  /** What was typed as the value that it is for the field, read as files and pasted cells are. */
  private read(): Settled {
    const type = this.props.place.field.type as EnteredType;
    const found = readTyped(this.text, type, habit(), { zone: this.props.zone });
    return found.ok ? { ok: true, value: valueJson(type, found.value) } : found;
  }

  commit(value: unknown, key?: string, back?: boolean): void {
    this.done = true;
    this.props.oncommit(value, key, back);
  }

  /** Enter and Tab keep, Escape leaves; `several`: Enter begins a line, with Ctrl it keeps. */
  key = (event: KeyboardEvent, several = false): void => {
    if (event.key === 'Escape') {
      this.done = true;
      event.stopPropagation();
      this.props.oncancel();
    } else if ((event.key === 'Enter' && !(several && !event.ctrlKey)) || event.key === 'Tab') {
      event.preventDefault();
      event.stopPropagation();
      const found = this.read();
      if (found.ok) this.commit(found.value, event.key, event.shiftKey);
      else this.problem = found.problem;
    } else if (several) event.stopPropagation();
  };

  /**
   * Leaving the cell by the pointer keeps what was typed, as Enter does; what is no value is kept beside, with its
   * reason.
   */
  left = (): void => {
    if (this.done) return;
    this.done = true;
    if (this.text === this.begun) return this.props.oncancel();
    const found = this.read();
    this.props.oncommit(found.ok ? found.value : Later.refused(this.text, found.problem));
  };

  // By nothing that changes: a model that is read anew while one types must not select what was typed.
  focus = (node: HTMLInputElement | HTMLTextAreaElement): void => {
    node.focus();
    if (this.opened === null) node.select();
  };
}
