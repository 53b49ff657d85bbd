/** What a column stands for whose name says a time, or a class of numbers, with what else its name says. */
export interface Period {
  readonly kind: PeriodKind;
  /** As it will stand in a cell: a month of a year is its first day. */
  readonly label: string;
  /** The name without it: what is measured. */
  readonly rest: string;
  /** The language of its word, where it has one of its own. */
  readonly language?: string;
}

export type PeriodKind = 'month' | 'year' | 'quarter' | 'week' | 'monthOfYear' | 'day' | 'class';

const languages = ['en', 'de', 'fr', 'es', 'it', 'nl', 'pt', 'pl', 'sv', 'da', 'cs', 'fi', 'hu', 'ru'] as const;

const plain = (word: string): string => word.toLowerCase().replace(/\.$/, '');

/** The months' names, long and short, in the languages that files come in (CLDR, by way of Intl). */
const months: ReadonlyMap<string, { readonly month: number; readonly language: string }> = new Map(
  languages
    .flatMap((language) =>
      (['long', 'short'] as const).flatMap((month) => {
        const format = new Intl.DateTimeFormat(language, { month, timeZone: 'UTC' });
        return Array.from({ length: 12 }, (_, at) => {
          const word = plain(format.format(Date.UTC(2024, at, 1)));
          return [word, { month: at + 1, language }] as const;
        });
      }),
    )
    // What English has too is English.
    .toReversed()
    .concat([['sept', { month: 9, language: 'en' }]]),
);

const year = '(?:1[5-9]|20|21)\\d\\d';
const gap = '[ _./-]*';
const ends = (pattern: string): RegExp => new RegExp(`(?<![\\p{L}\\p{N}])${pattern}(?![\\p{L}\\p{N}])`, 'iu');
const two = (n: number): string => String(n).padStart(2, '0');
const firstDay = (of: number | string, month: number): string => `${of}-${two(month)}-01`;
/** `24` is 2024. */
const fullYear = (text: string): number => (text.length === 4 ? Number(text) : 2000 + Number(text));

/** `0-14`, `15 to 64`, `65+`, `under 5`, `80 and over`. */
const small = '\\d{1,3}';
const range = [
  `${small} ?(?:-|–|_|to|bis|à) ?${small}`,
  `(?:[<>≤≥] ?|(?:under|below|over|above|unter|über|ab|moins de)[ _])${small}`,
  `${small}(?: ?\\+|[ _]plus|[ _](?:and|or|und|oder|et)[ _](?:over|older|more|above|under|younger|mehr|älter|jünger|plus))`,
].join('|');

interface Way {
  readonly kind: PeriodKind;
  readonly pattern: RegExp;
  readonly label: (found: RegExpExecArray) => string | null;
}

/** From the most telling to the least. */
const ways: readonly Way[] = [
  { kind: 'day', pattern: ends(`${year}-\\d\\d-\\d\\d`), label: ([text]) => text },
  { kind: 'day', pattern: /^\d{1,2}[./]\d{1,2}[./]\d{2,4}$/, label: ([text]) => text },
  {
    kind: 'quarter',
    pattern: ends(`(?:Q[1-4]${gap}${year}|${year}${gap}Q[1-4]|Q[1-4]|[1-4]\\. ?Quartal)`),
    label: ([text]) => text,
  },
  {
    kind: 'monthOfYear',
    pattern: ends(`(${year})[-_./]?(0[1-9]|1[0-2])`),
    label: ([, of = '', month]) => firstDay(of, Number(month)),
  },
  {
    kind: 'monthOfYear',
    pattern: ends(`(0?[1-9]|1[0-2])[-_./](${year})`),
    label: ([, month, of = '']) => firstDay(of, Number(month)),
  },
  { kind: 'week', pattern: ends(`(?:KW|CW|W|Wk|Week|Woche)${gap}(?:[1-9]|[0-4]\\d|5[0-3])`), label: ([text]) => text },
  { kind: 'year', pattern: ends(`(?:FY${gap})?(?:${year}[/–-]\\d\\d(?!\\d)|${year})`), label: ([text]) => text },
  {
    kind: 'class',
    pattern: ends(`(?:${range})`),
    label: ([text]) => text.replace(/(?<=\d)_(?=\d)/, '-').replaceAll('_', ' '),
  },
];

const words = /\p{L}+\.?/gu;
/** Two digits are a year only behind a stroke or an apostrophe: `Jan 24` may be a day. */
const yearBeside = new RegExp(`^${gap}(?:(${year})|['’](\\d\\d)|(?<=-)(\\d\\d))(?!\\d)`, 'u');
const yearBefore = new RegExp(`(?<!\\d)(${year})${gap}$`, 'u');

const without = (name: string, from: number, to: number): string =>
  `${name.slice(0, from)} ${name.slice(to)}`.replace(/^[\s_./:()–-]+|[\s_./:()–-]+$/g, '').replace(/\s+/g, ' ');

/** A month by its word, alone or with a year beside it. */
function monthIn(name: string): Period | null {
  for (const found of name.matchAll(words)) {
    const [word] = found;
    const known = months.get(plain(word));
    if (!known) continue;
    const [from, to] = [found.index, found.index + word.length];
    const behind = yearBeside.exec(name.slice(to));
    const before = yearBefore.exec(name.slice(0, from));
    const { month, language } = known;
    if (behind)
      return {
        kind: 'monthOfYear',
        label: firstDay(fullYear(behind.slice(1).find(Boolean) ?? ''), month),
        rest: without(name, from, to + behind[0].length),
        language,
      };
    if (before)
      return {
        kind: 'monthOfYear',
        label: firstDay(before[1] ?? '', month),
        rest: without(name, before.index, to),
        language,
      };
    return { kind: 'month', label: word, rest: without(name, from, to), language };
  }
  return null;
}

/** The time or class that a column's name says; null where it says none. */
export function periodIn(name: string): Period | null {
  const month = monthIn(name);
  if (month) return month;
  for (const { kind, pattern, label } of ways) {
    const found = pattern.exec(name);
    const said = found && label(found);
    if (found && said) return { kind, label: said, rest: without(name, found.index, found.index + found[0].length) };
  }
  return null;
}

const fields: Readonly<Record<Exclude<PeriodKind, 'class'>, 'month' | 'year' | 'quarter' | 'weekOfYear' | 'day'>> = {
  month: 'month',
  monthOfYear: 'month',
  year: 'year',
  quarter: 'quarter',
  week: 'weekOfYear',
  day: 'day',
};

/** What a column of such periods is called, in the language of their words. */
export function periodName(kind: PeriodKind, language = 'en'): string {
  if (kind === 'class') return 'Group';
  const name = new Intl.DisplayNames(language, { type: 'dateTimeField' }).of(fields[kind]) ?? kind;
  return name.slice(0, 1).toLocaleUpperCase(language) + name.slice(1);
}
