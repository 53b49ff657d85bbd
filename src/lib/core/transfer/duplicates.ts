import { nearness, spelled, trigramsOf, type Spelled } from '../intake/matching/nearMatches';

/** A record with the texts of the fields by which records are alike; null for blank. */
export interface Compared {
  readonly id: number;
  readonly texts: readonly (string | null)[];
}

/**
 * How alike records have to be: `exact` the same texts, `cleaned` the same but for case, blanks, signs, marks and the
 * order of words, `near` as they are when somebody mistypes.
 */
export const likenesses = ['exact', 'cleaned', 'near'] as const;
export type Likeness = (typeof likenesses)[number];

/** Records that are probably one thing. */
export interface DuplicateGroup {
  /** From 0 up to 1, as far as the texts tell. */
  readonly score: number;
  readonly records: readonly number[];
}

/** A pair of records that are not the same, whatever their texts say. */
export type NeverSame = (one: number, other: number) => boolean;

/** Blocks with more records than this say too little to compare all of them with each other. */
const mostInBlock = 40;
/** MinHash (Broder 1997) in bands: two texts that share most of their trigrams meet in one of them nearly always. */
const bands = 16;
const rows = 3;
/** The share of true pairs whose fields agree. */
const agreeing = 0.92;
/** Texts less near than this disagree. */
const leastNear = 0.86;
/** Of so many things one might have a value that nobody else here has. */
const leastWorld = 10_000;
/** Texts with fewer of their least hashes in common share hardly any trigram. */
const leastCommon = 3;
/** What the least near agreement counts, of what the same text does. */
const leastSure = 0.4;
/** Pairs that are more probable than this are proposed. */
const leastProbable = 0.8;
/** A group as large as this is a value that many share, and no thing that was entered again. */
const mostInGroup = 20;

/**
 * Groups of records that are alike, the likeliest first. Gives control back now and then (`yield`), as it takes seconds
 * for a hundred thousand records. Pairs are weighed as Fellegi and Sunter (1969) do: a field on which two records agree
 * counts as much as its value is rare, one on which they differ counts against them.
 */
export function* duplicatesIn(
  records: readonly Compared[],
  how: Likeness,
  never: NeverSame = () => false,
): Generator<void, DuplicateGroup[]> {
  return how === 'near' ? yield* nearGroups(records, never) : sameGroups(records, how, never);
}

const sortedForm = ({ sorted }: Spelled): string => sorted;

function sameGroups(records: readonly Compared[], how: 'exact' | 'cleaned', never: NeverSame): DuplicateGroup[] {
  const groups = new Map<string, number[]>();
  for (const { id, texts } of records) {
    if (texts.every((text) => text === null || text.trim() === '')) continue;
    const forms = texts.map((text) => (text === null ? '' : how === 'exact' ? text : sortedForm(spelled(text))));
    if (forms.every((form) => form === '')) continue;
    const key = JSON.stringify(forms);
    const known = groups.get(key);
    if (known) known.push(id);
    else groups.set(key, [id]);
  }
  return [...groups.values()]
    .flatMap((ids) => withoutNever(ids, never))
    .filter((ids) => ids.length > 1)
    .map((ids) => ({ score: 1, records: ids }));
}

/** Records of a group apart where somebody said that two of them are not the same. */
function withoutNever(ids: readonly number[], never: NeverSame): number[][] {
  const groups: number[][] = [];
  for (const id of ids) {
    const group = groups.find((one) => one.every((other) => !never(id, other)));
    if (group) group.push(id);
    else groups.push([id]);
  }
  return groups;
}

/** Numbers that hash functions are made of; any odd ones do. */
const seeds = Array.from({ length: bands * rows }, (_, at) => (Math.imul(at + 1, 0x9e3779b1) | 1) >>> 0);

/** A text with what it is compared by, worked out once for all records that have it. */
interface Form extends Spelled {
  /** The least hash of its trigrams under each function: the share that two have in common is that of their trigrams. */
  readonly least: Uint32Array;
  /** In how many records it stands. */
  count: number;
}

function formOf(text: string): Form {
  const words = spelled(text);
  const trigrams = trigramsOf(words.sorted);
  const least = new Uint32Array(seeds.length);
  for (const [at, seed] of seeds.entries()) {
    let min = 0xffffffff;
    for (const trigram of trigrams) {
      let hash = Math.imul(trigram ^ seed, 0x85ebca6b);
      hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35) ^ seed;
      hash = (hash ^ (hash >>> 16)) >>> 0;
      if (hash < min) min = hash;
    }
    least[at] = min;
  }
  return { ...words, least, count: 0 };
}

/** The key of the block in which a text stands by one of its bands. */
function blockKey({ least }: Form, field: number, band: number): number {
  let key = Math.imul(field * bands + band + 1, 0x27d4eb2f);
  for (let row = 0; row < rows; row++)
    key = Math.imul(key ^ (least[band * rows + row] ?? 0), 0x01000193) ^ (key >>> 15);
  return key >>> 0;
}

/** How near two texts are; those that share hardly any trigram are not looked at closer. */
function nearnessOf(a: Form, b: Form): number {
  if (a === b || a.plain === b.plain || a.sorted === b.sorted) return 1;
  let common = 0;
  for (let at = 0; at < a.least.length; at++) if (a.least[at] === b.least[at]) common++;
  return common < leastCommon ? 0 : nearness(a, b);
}

function* nearGroups(records: readonly Compared[], never: NeverSame): Generator<void, DuplicateGroup[]> {
  const fields = records[0]?.texts.length ?? 0;
  const known = Array.from({ length: fields }, () => new Map<string, Form>());
  const forms: (Form | null)[][] = [];
  for (const [at, { texts }] of records.entries()) {
    forms.push(
      texts.map((text, field) => {
        if (text === null || text.trim() === '') return null;
        const form = known[field]?.get(text) ?? formOf(text);
        known[field]?.set(text, form);
        return form.sorted === '' ? null : form;
      }),
    );
    if (at % 2_000 === 0) yield;
  }
  countForms(forms, fields);
  const pairs = yield* candidates(forms, fields);
  const found: { a: number; b: number; score: number }[] = [];
  for (const [at, pair] of pairs.entries()) {
    const [a, b] = [Math.floor(pair / records.length), pair % records.length];
    const [one, other] = [records[a], records[b]];
    if (one && other && !never(one.id, other.id)) {
      const score = probability(forms[a] ?? [], forms[b] ?? [], records.length);
      if (score >= leastProbable) found.push({ a, b, score });
    }
    if (at % 5_000 === 0) yield;
  }
  return grouped(records, found, never);
}

/** How often each text stands, whatever way it is spelled. */
function countForms(forms: readonly (readonly (Form | null)[])[], fields: number): void {
  for (let field = 0; field < fields; field++) {
    const counts = new Map<string, number>();
    for (const one of forms) {
      const form = one[field];
      if (form) counts.set(form.sorted, (counts.get(form.sorted) ?? 0) + 1);
    }
    for (const one of forms) {
      const form = one[field];
      if (form) form.count = counts.get(form.sorted) ?? 1;
    }
  }
}

/** The pairs that share two blocks or more, each once, as `a × count + b`. */
function* candidates(forms: readonly (readonly (Form | null)[])[], fields: number): Generator<void, Float64Array> {
  const blocks = new Map<number, number[]>();
  const put = (key: number, at: number) => {
    const block = blocks.get(key);
    if (!block) blocks.set(key, [at]);
    else if (block.length <= mostInBlock && block[block.length - 1] !== at) block.push(at);
  };
  for (const [at, one] of forms.entries()) {
    for (let field = 0; field < fields; field++) {
      const form = one[field];
      if (!form) continue;
      if (form.count <= mostInBlock) {
        for (let band = 0; band < bands; band++) put(blockKey(form, field, band), at);
        continue;
      }
      // What many share tells something only together with how another field begins, or ends.
      const shared = hashOf(form.sorted);
      for (let other = 0; other < fields; other++) {
        const beside = one[other]?.plain;
        if (!beside || other === field) continue;
        put(Math.imul(shared ^ hashOf(beside.slice(0, 4)), 0x9e3779b1) >>> 0, at);
        put(Math.imul(shared ^ hashOf(beside.slice(-4)), 0x85ebca6b) >>> 0, at);
      }
    }
    if (at % 2_000 === 0) yield;
  }
  let pairs = new Float64Array(1 << 16);
  let count = 0;
  let seen = 0;
  for (const block of blocks.values()) {
    if (block.length < 2 || block.length > mostInBlock) continue;
    for (let i = 0; i < block.length; i++)
      for (let j = i + 1; j < block.length; j++) {
        if (count === pairs.length) {
          const larger = new Float64Array(pairs.length * 2);
          larger.set(pairs);
          pairs = larger;
        }
        pairs[count++] = (block[i] ?? 0) * forms.length + (block[j] ?? 0);
      }
    if (++seen % 20_000 === 0) yield;
  }
  const sorted = pairs.subarray(0, count).sort();
  // Two texts that are alike meet in several blocks, others by chance in one.
  let kept = 0;
  for (let at = 1; at < sorted.length; at++)
    if (sorted[at] === sorted[at - 1] && (kept === 0 || sorted[kept - 1] !== sorted[at]))
      sorted[kept++] = sorted[at] ?? 0;
  return sorted.slice(0, kept);
}

function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}

/** How probable it is that two records are one thing, before anything else is known of them: one pair in `count`. */
function probability(a: readonly (Form | null)[], b: readonly (Form | null)[], count: number): number {
  let weight = -Math.log2(count);
  let agreed = 0;
  for (const [field, one] of a.entries()) {
    const other = b[field];
    if (!one || !other) continue;
    const near = nearnessOf(one, other);
    // How likely others have it, too; in a small table, that nobody else has it tells little of how rare it is.
    const others = Math.max(one.count, other.count) - (one.sorted === other.sorted ? 2 : 1);
    const chance = Math.min(0.95, Math.max(others / count, 1 / Math.max(count, leastWorld)));
    if (near >= leastNear) {
      // A typing error says less than the same text: more texts are near than are the same.
      const sure = near === 1 ? 1 : leastSure + ((1 - leastSure) * (near - leastNear)) / (1 - leastNear);
      weight += Math.log2(agreeing / chance) * sure;
      agreed++;
    } else weight += Math.log2((1 - agreeing) / (1 - chance));
  }
  return agreed === 0 ? 0 : 1 / (1 + 2 ** -weight);
}

/** Pairs as groups: a record joins the group it is nearest to. */
function grouped(
  records: readonly Compared[],
  pairs: { readonly a: number; readonly b: number; readonly score: number }[],
  never: NeverSame,
): DuplicateGroup[] {
  const of = new Map<number, { members: number[]; score: number }>();
  for (const { a, b, score } of pairs.toSorted((one, other) => other.score - one.score)) {
    const [one, other] = [of.get(a), of.get(b)];
    if (one && one === other) continue;
    const members = [...(one?.members ?? [a]), ...(other?.members ?? [b])];
    const ids = members.map((at) => records[at]?.id ?? 0);
    if (members.length > mostInGroup || withoutNever(ids, never).length > 1) continue;
    const group = { members, score: Math.min(score, one?.score ?? 1, other?.score ?? 1) };
    for (const member of members) of.set(member, group);
  }
  return [...new Set(of.values())]
    .map(({ members, score }) => ({
      score,
      records: members.map((at) => records[at]?.id ?? 0).sort((x, y) => x - y),
    }))
    .sort((x, y) => y.score - x.score || (x.records[0] ?? 0) - (y.records[0] ?? 0));
}
