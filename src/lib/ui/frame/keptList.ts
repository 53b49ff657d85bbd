/**
 * A list kept in this browser over reloads, which several windows share: each writes what is its own and leaves what
 * others have put there. `name` is asked each time, as it may follow the page.
 */
export class KeptList<T extends { readonly key: string }> {
  constructor(private readonly name: () => string) {}

  read(): readonly T[] {
    return JSON.parse(localStorage.getItem(this.name()) ?? '[]') as T[];
  }

  /** Puts this window's list, which was `before`, in its place among those of others. */
  write(before: readonly { readonly key: string }[], now: readonly T[]): void {
    const mine = new Set([...before, ...now].map(({ key }) => key));
    const all = [...this.read().filter(({ key }) => !mine.has(key)), ...now];
    if (all.length === 0) localStorage.removeItem(this.name());
    else localStorage.setItem(this.name(), JSON.stringify(all));
  }
}
