import bidiFactory from 'bidi-js';
import LineBreaker from 'linebreak';
import type { Run } from '$core/documents/filled';
import { byFont, type FontName, type HasGlyph } from './fonts';

/** Text that is drawn as one, at one place. */
interface Piece {
  readonly text: string;
  readonly font: FontName;
  readonly size: number;
  readonly underline: boolean;
  /** Points. */
  readonly width: number;
}

export interface Line {
  readonly pieces: readonly Piece[];
  readonly width: number;
  /** Whether the line is read from the right. */
  readonly fromRight: boolean;
}

/** What measures text; widths in points. */
export interface Ruler {
  readonly has: HasGlyph;
  readonly widthOf: (text: string, font: FontName, size: number) => number;
  /** Told of characters that no font has. */
  readonly missing: (character: string) => void;
}

interface Measured extends Piece {
  /** How deep the piece stands in texts of the other direction; odd is from right to left (UAX #9). */
  readonly level: number;
}

const bidi = bidiFactory();
const readsFromRight = /[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc]/;

/**
 * The lines of a text within a width: broken where a line may be (UAX #14), a word that is wider than the line within
 * itself, each in the order in which it is seen (UAX #9).
 */
export function linesOf(runs: readonly Run[], size: number, bold: boolean, width: number, ruler: Ruler): Line[] {
  const text = runs.map((run) => run.text).join('');
  const levels = readsFromRight.test(text) ? bidi.getEmbeddingLevels(text).levels : null;
  const fromRight = levels !== null && (levels[0] ?? 0) % 2 === 1;
  const lines: Line[] = [];
  let line: Measured[] = [];
  let used = 0;
  const end = () => {
    // A space at the end of a line takes no room there.
    const pieces = trimmed(line, ruler);
    lines.push({ pieces: seen(pieces), width: sum(pieces), fromRight });
    [line, used] = [[], 0];
  };
  const breaker = new LineBreaker(text);
  let from = 0;
  for (let next = breaker.nextBreak(); next; next = breaker.nextBreak()) {
    const pieces = piecesOf(runs, from, next.position, { size, bold, levels, ruler });
    from = next.position;
    const wide = sum(trimmed(pieces, ruler));
    if (used > 0 && used + wide > width) end();
    if (wide <= width) {
      line.push(...pieces);
      used += sum(pieces);
    } else
      for (const piece of lettersOf(pieces, ruler)) {
        if (used > 0 && used + piece.width > width) end();
        line.push(piece);
        used += piece.width;
      }
    if (next.required && from < text.length) end();
  }
  if (line.length > 0 || lines.length === 0 || text.endsWith('\n')) end();
  return lines;
}

const sum = (pieces: readonly Piece[]): number => pieces.reduce((all, { width }) => all + width, 0);

interface How {
  readonly size: number;
  readonly bold: boolean;
  readonly levels: Uint8Array | null;
  readonly ruler: Ruler;
}

/** The pieces of a stretch of text, parted where the look, the font or the direction changes. */
function piecesOf(runs: readonly Run[], from: number, to: number, { size, bold, levels, ruler }: How): Measured[] {
  const pieces: Measured[] = [];
  let at = 0;
  for (const run of runs) {
    const [begin, end] = [Math.max(from, at), Math.min(to, at + run.text.length)];
    for (let start = begin; start < end;) {
      const level = levels?.[start] ?? 0;
      let stop = start + 1;
      while (stop < end && (levels?.[stop] ?? 0) === level) stop++;
      const text = run.text
        .slice(start - at, stop - at)
        .replaceAll(/[\r\n\u2028\u2029]/g, '')
        .replaceAll('\t', '    ');
      const face = { bold: bold || run.bold === true, italic: run.italic === true };
      for (const one of byFont(text, face, ruler.has, ruler.missing))
        pieces.push({
          ...one,
          size,
          level,
          underline: run.underline === true,
          width: ruler.widthOf(one.text, one.font, size),
        });
      start = stop;
    }
    at += run.text.length;
  }
  return pieces;
}

/** Without the spaces at the end. */
function trimmed(pieces: readonly Measured[], { widthOf }: Ruler): Measured[] {
  const last = pieces.at(-1);
  if (!last?.text.endsWith(' ')) return [...pieces];
  const text = last.text.trimEnd();
  const kept = pieces.slice(0, -1);
  return text === '' ? kept : [...kept, { ...last, text, width: widthOf(text, last.font, last.size) }];
}

const lettersOf = (pieces: readonly Measured[], { widthOf }: Ruler): Measured[] =>
  pieces.flatMap((piece) =>
    [...new Intl.Segmenter().segment(piece.text)].map(({ segment }) => ({
      ...piece,
      text: segment,
      width: widthOf(segment, piece.font, piece.size),
    })),
  );

/** In the order in which pieces are seen from left to right: from the deepest level on, what stands so is turned round. */
function seen(pieces: readonly Measured[]): Measured[] {
  const order = [...pieces];
  const deepest = Math.max(0, ...order.map(({ level }) => level));
  for (let level = deepest; level > 0; level--)
    for (let from = 0; from < order.length; from++) {
      if ((order[from]?.level ?? 0) < level) continue;
      let to = from;
      while (to + 1 < order.length && (order[to + 1]?.level ?? 0) >= level) to++;
      order.splice(from, to - from + 1, ...order.slice(from, to + 1).reverse());
      from = to;
    }
  return order;
}
