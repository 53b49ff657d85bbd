import type { Problem } from '../base/problem';
import { tokensOf, type Token } from './lexer';
import type { NamePart, OrderPart, Range, Syntax } from './syntax';

const longestFormula = 20_000;
const deepest = 100;
/** A chain of signs nests to the left as deep as it is long; both machines walk it. */
const longestChain = 500;

/** How strongly the signs between two parts bind, as in standard SQL. */
const strengths: Record<string, number> = {
  or: 1,
  and: 2,
  '=': 4,
  '<>': 4,
  '<': 4,
  '<=': 4,
  '>': 4,
  '>=': 4,
  is: 4,
  in: 4,
  between: 4,
  like: 4,
  not: 4,
  '||': 5,
  '+': 6,
  '-': 6,
  '*': 7,
  '/': 7,
};
const notStrength = 3;
const comparison = 4;
const signStrength = 8;

/** Words that end an expression, so a name is never one of them. */
const stopWords = new Set([
  'and',
  'or',
  'not',
  'is',
  'in',
  'between',
  'like',
  'case',
  'when',
  'then',
  'else',
  'end',
  'from',
  'for',
  'as',
  'asc',
  'desc',
  'order',
  'by',
  'distinct',
  'where',
  'filter',
  'null',
  'true',
  'false',
]);

/**
 * Reads a formula by precedence climbing. Never fails: each thing that cannot be read becomes an `error` node and a
 * problem with its place, and reading goes on at the next comma, bracket or word of the enclosing form.
 */
export function parseFormula(source: string): { syntax: Syntax; problems: Problem[] } {
  if (source.length > longestFormula) {
    const at = { from: 0, to: source.length };
    const message = `The formula has ${source.length} characters; ${longestFormula} is the most.`;
    return { syntax: { node: 'error', at }, problems: [{ message, fix: 'Split it over several fields.', at }] };
  }
  const { tokens, problems } = tokensOf(source);
  const parser = new Parser(tokens, problems);
  const syntax = parser.whole();
  return { syntax, problems };
}

class Parser {
  private at = 0;
  private depth = 0;

  constructor(
    private readonly tokens: readonly Token[],
    private readonly problems: Problem[],
  ) {}

  whole(): Syntax {
    const syntax = this.expression(0);
    if (this.next.kind !== 'end' && this.problems.length === 0)
      this.problem(
        `“${this.next.text}” does not belong here.`,
        'Put a sign such as + or || before it, or take it out.',
        this.next,
      );
    return syntax;
  }

  private get next(): Token {
    // The last token is always `end`, and nothing moves past it.
    return this.tokens[Math.min(this.at, this.tokens.length - 1)] as Token;
  }

  private get previousEnd(): number {
    return this.tokens[this.at - 1]?.to ?? 0;
  }

  private problem(message: string, fix: string, at: Range): void {
    this.problems.push({ message, fix, at: { from: at.from, to: at.to } });
  }

  private is(...words: string[]): boolean {
    return (this.next.kind === 'name' || this.next.kind === 'sign') && words.includes(this.next.text);
  }

  private take(word: string): boolean {
    if (!this.is(word)) return false;
    this.at++;
    return true;
  }

  private expect(word: string, why: string): void {
    if (!this.take(word)) this.problem(`${why} needs “${word}” here.`, `Write ${word}.`, this.next);
  }

  private since(from: number): Range {
    return { from, to: Math.max(from, this.previousEnd) };
  }

  private call(name: string, args: readonly Syntax[], nameAt: Range, from: number): Syntax {
    return { node: 'call', name, args, nameAt, at: this.since(from), distinct: false, order: [], filter: null };
  }

  private expression(least: number): Syntax {
    if (this.depth >= deepest) {
      this.problem(
        `The formula is nested more than ${deepest} levels deep.`,
        'Split it over several fields.',
        this.next,
      );
      this.at = this.tokens.length - 1;
      return { node: 'error', at: this.next };
    }
    this.depth++;
    let left = this.prefix();
    for (let length = 0; ; length++) {
      const sign = this.next;
      const strength = sign.kind === 'name' || sign.kind === 'sign' ? (strengths[sign.text] ?? 0) : 0;
      if (strength === 0 || strength <= least) break;
      if (length === longestChain) {
        this.problem(`More than ${longestChain} signs in a row.`, 'Split the formula over several fields.', sign);
        this.at = this.tokens.length - 1;
        break;
      }
      left = strength === comparison ? this.comparison(left) : this.infix(left, strength);
    }
    this.depth--;
    return left;
  }

  private infix(left: Syntax, strength: number): Syntax {
    const sign = this.next;
    this.at++;
    return this.call(sign.text, [left, this.expression(strength)], sign, left.at.from);
  }

  private comparison(left: Syntax): Syntax {
    const sign = this.next;
    this.at++;
    const from = left.at.from;
    if (sign.text === 'is') {
      const negated = this.take('not');
      if (this.take('null')) return this.call(negated ? 'is not null' : 'is null', [left], sign, from);
      this.problem('After “is” stands null or not null.', 'Write is null.', this.next);
      return left;
    }
    const negated = sign.text === 'not';
    const word = negated ? this.next.text : sign.text;
    if (negated) {
      if (!this.is('in', 'between', 'like')) {
        this.problem('Here “not” needs in, between or like.', 'Write not in (…).', sign);
        return left;
      }
      this.at++;
    }
    const say = (positive: Syntax) => (negated ? this.call('not', [positive], sign, from) : positive);
    if (word === 'in') {
      this.expect('(', 'in');
      const list = this.list();
      this.expect(')', 'in');
      return say(this.call('in', [left, ...list], sign, from));
    }
    const right = this.expression(comparison);
    if (word !== 'between') return say(this.call(word, [left, right], sign, from));
    this.expect('and', 'between');
    return say(this.call('between', [left, right, this.expression(comparison)], sign, from));
  }

  private prefix(): Syntax {
    const token = this.next;
    if (this.take('not')) return this.call('not', [this.expression(notStrength)], token, token.from);
    if (this.take('+')) return this.expression(signStrength);
    if (this.take('-')) return this.call('negate', [this.expression(signStrength)], token, token.from);
    return this.primary();
  }

  private primary(): Syntax {
    const token = this.next;
    switch (token.kind) {
      case 'number':
      case 'text':
        this.at++;
        return { node: token.kind, value: token.text, at: this.since(token.from) };
      case 'quoted':
        return this.path();
      case 'name':
        return this.word(token);
      case 'sign':
        if (this.take('(')) {
          const inner = this.expression(0);
          this.expect(')', 'The bracket');
          return inner;
        }
    }
    this.problem(
      token.kind === 'end' ? 'Something is missing at the end.' : `A value is missing before “${token.text}”.`,
      'Write a field, a number or a text in single quotes.',
      token,
    );
    return { node: 'error', at: { from: token.from, to: token.to } };
  }

  private word(token: Token): Syntax {
    const following = this.tokens[this.at + 1];
    if (token.text === 'case') return this.case();
    if (token.text === 'null' || token.text === 'true' || token.text === 'false') {
      this.at++;
      const at = this.since(token.from);
      return token.text === 'null' ? { node: 'blank', at } : { node: 'boolean', value: token.text === 'true', at };
    }
    if (
      (token.text === 'date' || token.text === 'timestamp' || token.text === 'interval') &&
      following?.kind === 'text'
    ) {
      this.at += 2;
      return { node: token.text, value: following.text, at: this.since(token.from) };
    }
    if (following?.kind === 'sign' && following.text === '(') return this.function(token);
    if (stopWords.has(token.text)) {
      this.problem(`A value is missing before “${token.text}”.`, 'Write a field, a number or a text.', token);
      return { node: 'error', at: token };
    }
    return this.path();
  }

  private path(): Syntax {
    const from = this.next.from;
    const parts: NamePart[] = [];
    do {
      const { kind, text, from: start, to } = this.next;
      if (kind !== 'name' && kind !== 'quoted') {
        this.problem('A name is missing after the point.', 'Write a field of that table.', this.next);
        break;
      }
      parts.push({ name: text, quoted: kind === 'quoted', at: { from: start, to } });
      this.at++;
    } while (this.take('.'));
    return { node: 'path', parts, at: this.since(from) };
  }

  private list(): Syntax[] {
    if (this.is(')')) return [];
    const items: Syntax[] = [];
    do items.push(this.expression(0));
    while (this.take(','));
    return items;
  }

  private case(): Syntax {
    const from = this.next.from;
    this.at++;
    const operand = this.is('when') ? null : this.expression(0);
    const whens: { when: Syntax; then: Syntax }[] = [];
    while (this.take('when')) {
      const when = this.expression(0);
      this.expect('then', 'when');
      whens.push({ when, then: this.expression(0) });
    }
    if (whens.length === 0) this.problem('case needs at least one when … then ….', 'Write when.', this.next);
    const otherwise = this.take('else') ? this.expression(0) : null;
    this.expect('end', 'case');
    return { node: 'case', operand, whens, otherwise, at: this.since(from) };
  }

  private function(name: Token): Syntax {
    this.at += 2;
    const from = name.from;
    if (name.text === 'cast') {
      const arg = this.expression(0);
      this.expect('as', 'cast');
      const to = this.next.text;
      if (this.next.kind === 'name') this.at++;
      this.expect(')', 'cast');
      return { node: 'cast', arg, to, at: this.since(from) };
    }
    const distinct = this.take('distinct');
    const args = this.arguments(name);
    const order = this.order();
    this.expect(')', `${name.text}(`);
    let filter: Syntax | null = null;
    if (this.take('filter')) {
      this.expect('(', 'filter');
      this.expect('where', 'filter');
      filter = this.expression(0);
      this.expect(')', 'filter');
    }
    return { node: 'call', name: name.text, args, nameAt: name, at: this.since(from), distinct, order, filter };
  }

  /**
   * Arguments by comma, and the worded ones of the standard: extract(f from d), substring(x from a for b), position(a
   * in b).
   */
  private arguments(name: Token): Syntax[] {
    if (this.is(')') || this.is('order')) return [];
    if (this.is('*')) {
      const at = this.next;
      this.at++;
      return [{ node: 'star', at }];
    }
    if (name.text === 'extract') {
      const part = this.next;
      this.at++;
      this.expect('from', 'extract');
      return [{ node: 'text', value: part.text, at: part }, this.expression(0)];
    }
    if (name.text === 'position') {
      const sought = this.expression(comparison);
      if (this.take('in')) return [sought, this.expression(0)];
      this.expect(',', 'position');
      return [sought, this.expression(0)];
    }
    const first = this.expression(0);
    if (this.take('from')) {
      const start = this.expression(0);
      return this.take('for') ? [first, start, this.expression(0)] : [first, start];
    }
    return this.take(',') ? [first, ...this.list()] : [first];
  }

  private order(): OrderPart[] {
    if (!this.take('order')) return [];
    this.expect('by', 'order');
    const parts: OrderPart[] = [];
    do {
      const by = this.expression(0);
      const descending = this.take('desc');
      if (!descending) this.take('asc');
      parts.push({ by, descending });
    } while (this.take(','));
    return parts;
  }
}
