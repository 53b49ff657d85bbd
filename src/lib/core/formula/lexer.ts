import type { Problem } from '../base/problem';

/** `name` is a bare word (held in small letters), `quoted` a name in double quotes, held as written. */
export interface Token {
  readonly kind: 'name' | 'quoted' | 'number' | 'text' | 'sign' | 'end';
  readonly text: string;
  readonly from: number;
  readonly to: number;
}

const longestSigns = ['<=', '>=', '<>', '!=', '||'];
const signs = '+-*/=<>(),.';

/**
 * Splits a formula into tokens; `--` begins a comment to the end of its line. Never fails: what it cannot read is a
 * problem.
 */
export function tokensOf(source: string): { tokens: Token[]; problems: Problem[] } {
  const tokens: Token[] = [];
  const problems: Problem[] = [];
  let at = 0;
  const push = (kind: Token['kind'], text: string, from: number, to: number) => {
    tokens.push({ kind, text, from, to });
    at = to;
  };

  /** Reads up to the closing quote; a doubled quote stands for one. */
  function quoted(quote: string, kind: 'text' | 'quoted'): void {
    const from = at;
    let value = '';
    for (let i = at + 1; i < source.length; i++) {
      if (source[i] !== quote) value += source[i];
      else if (source[i + 1] === quote) {
        value += quote;
        i++;
      } else return push(kind, value, from, i + 1);
    }
    problems.push({
      message: `The ${kind === 'text' ? 'text' : 'name'} is not closed.`,
      fix: `Put a ${quote} at its end.`,
      at: { from, to: source.length },
    });
    push(kind, value, from, source.length);
  }

  while (at < source.length) {
    const rest = source.slice(at, at + 2);
    const letter = source[at] ?? '';
    if (/\s/.test(letter)) at++;
    else if (rest === '--') {
      const line = source.indexOf('\n', at);
      at = line < 0 ? source.length : line;
    } else if (letter === "'") quoted("'", 'text');
    else if (letter === '"') quoted('"', 'quoted');
    else if (longestSigns.includes(rest)) push('sign', rest === '!=' ? '<>' : rest, at, at + 2);
    else if (/\d/.test(letter) || (letter === '.' && /\d/.test(source[at + 1] ?? ''))) {
      const found = /^(?:\d+(?:\.\d*)?|\.\d+)/.exec(source.slice(at, at + 200))?.[0] ?? letter;
      push('number', found, at, at + found.length);
    } else if (/[\p{L}_]/u.test(letter)) {
      let end = at + 1;
      while (end < source.length && /[\p{L}\p{N}_]/u.test(source[end] ?? '')) end++;
      push('name', source.slice(at, end).toLowerCase(), at, end);
    } else if (signs.includes(letter)) push('sign', letter, at, at + 1);
    else {
      problems.push({
        message: `“${letter}” has no meaning here.`,
        fix:
          letter === '&'
            ? 'Texts are joined by ||.'
            : letter === ';'
              ? 'Arguments are parted by commas.'
              : 'Take it out.',
        at: { from: at, to: at + 1 },
      });
      at++;
    }
  }
  tokens.push({ kind: 'end', text: '', from: source.length, to: source.length });
  return { tokens, problems };
}
