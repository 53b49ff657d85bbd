import { call } from '../../api';
import type { Notices } from '../../frame/notices.svelte';
import type { AddressOut } from './addressWords';

/** The addresses of one form, as they are read and changed. */
export class FormAddresses {
  all = $state.raw<readonly AddressOut[]>([]);

  constructor(
    /** Where the API has them. */
    private readonly path: () => string,
    private readonly notices: Notices,
  ) {}

  async read(): Promise<void> {
    const answer = await call<{ items: AddressOut[] }>('GET', this.path());
    if (answer.ok) this.all = answer.value.items;
    else this.notices.refused(answer.problem);
  }

  make = (settings: Record<string, unknown>): Promise<void> => this.change('POST', '', settings);
  set = (id: number, settings: Record<string, unknown>): Promise<void> => this.change('PATCH', `/${id}`, settings);
  remove = (id: number): Promise<void> => this.change('DELETE', `/${id}`);

  private async change(method: string, rest: string, body?: unknown): Promise<void> {
    const answer = await call(method, this.path() + rest, body);
    if (!answer.ok) return this.notices.refused(answer.problem);
    await this.read();
  }
}
