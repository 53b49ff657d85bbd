import type { Call, textsOf } from './texts';

interface Said {
  readonly code: string;
}

export function sayInLanguages(): {
  readonly name: string;
  readonly markup: (source: { readonly content: string; readonly filename?: string }) => Said | undefined;
};

export function speaks(path: string): boolean;

export function moduleTexts(code: string, how: Call): ReturnType<typeof textsOf>;

export function sayInModules(): {
  readonly name: string;
  readonly enforce: 'pre';
  readonly transform: (code: string, id: string) => (Said & { readonly map: null }) | undefined;
};
