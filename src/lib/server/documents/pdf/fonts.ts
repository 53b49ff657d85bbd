import { createRequire } from 'node:module';

/** How the letters of a piece of text look. */
export interface Face {
  readonly bold: boolean;
  readonly italic: boolean;
}

export type FontName = `${'sans' | 'more'}${'' | '-bold'}${'' | '-italic'}`;

// Literal, so that it can be seen which packages are needed.
const require = createRequire(import.meta.url);

/**
 * The fonts that go into a PDF, as files. Source Sans 3 has Latin, Greek and Cyrillic letters; what it lacks (Hebrew,
 * Arabic, signs) is taken of DejaVu Sans.
 */
export const fontFiles: Readonly<Record<FontName, string>> = {
  sans: require.resolve('source-sans/TTF/SourceSans3-Regular.ttf'),
  'sans-italic': require.resolve('source-sans/TTF/SourceSans3-It.ttf'),
  'sans-bold': require.resolve('source-sans/TTF/SourceSans3-Bold.ttf'),
  'sans-bold-italic': require.resolve('source-sans/TTF/SourceSans3-BoldIt.ttf'),
  more: require.resolve('dejavu-fonts-ttf/ttf/DejaVuSans.ttf'),
  'more-italic': require.resolve('dejavu-fonts-ttf/ttf/DejaVuSans-Oblique.ttf'),
  'more-bold': require.resolve('dejavu-fonts-ttf/ttf/DejaVuSans-Bold.ttf'),
  'more-bold-italic': require.resolve('dejavu-fonts-ttf/ttf/DejaVuSans-BoldOblique.ttf'),
};

const faceName = ({ bold, italic }: Face) => `${bold ? '-bold' : ''}${italic ? '-italic' : ''}` as const;

/** What tells which characters a font has. */
export type HasGlyph = (font: FontName, codePoint: number) => boolean;

/** A text in pieces that one font has each; `missing` is told of characters that none has. */
export function byFont(
  text: string,
  face: Face,
  has: HasGlyph,
  missing: (character: string) => void,
): { readonly text: string; readonly font: FontName }[] {
  const suffix = faceName(face);
  const [first, second] = [`sans${suffix}`, `more${suffix}`] as const;
  const pieces: { text: string; font: FontName }[] = [];
  for (const character of text) {
    const code = character.codePointAt(0) ?? 32;
    let font: FontName = has(first, code) ? first : second;
    let shown = character;
    if (font === second && !has(second, code)) {
      // Signs that join or direct letters are not shown by themselves.
      if (/\p{Cf}|\p{M}/u.test(character)) continue;
      missing(character);
      [font, shown] = [first, '▯'];
      if (!has(first, 0x25af)) shown = '?';
    }
    const last = pieces.at(-1);
    // A space goes with the letters before it, so that words of one script stay whole.
    if (last && (last.font === font || (character === ' ' && has(last.font, code)))) last.text += shown;
    else pieces.push({ text: shown, font });
  }
  return pieces;
}
