/** A piece of a source, and the code that takes its place. */
export interface Place {
  readonly start: number;
  readonly end: number;
  readonly code: string;
}

export type Call = (text: string, values: readonly string[]) => string;

export function textsOf(
  source: string,
  call: Call,
  isModule?: boolean,
): { readonly places: readonly Place[]; readonly texts: ReadonlySet<string> };

export function spliced(source: string, start: number, end: number, places: readonly Place[]): string;
