declare module 'linebreak' {
  /** Where lines of a text may be broken (UAX #14). */
  export default class LineBreaker {
    constructor(text: string);
    nextBreak(): { readonly position: number; readonly required?: boolean } | null;
  }
}

declare module 'bidi-js' {
  /** The Unicode bidirectional algorithm (UAX #9). */
  export default function bidiFactory(): {
    getEmbeddingLevels(text: string, direction?: 'ltr' | 'rtl' | 'auto'): { readonly levels: Uint8Array };
  };
}
