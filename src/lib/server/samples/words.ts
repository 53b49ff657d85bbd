import type { Faker } from '@faker-js/faker';

/** What a text is about, told from the words of its label, and how one is made up. */
interface Made {
  readonly label: RegExp;
  readonly make: (faker: Faker) => string;
}

const initials = (faker: Faker, letters: number): string =>
  faker.string.alpha({ length: letters, casing: 'upper', exclude: ['I', 'O'] });

/** The registry: the first whose words a label has. People, places and trades are made up. */
const texts: readonly Made[] = [
  { label: /\b(first|given) ?name\b|vorname/i, make: (faker) => faker.person.firstName() },
  { label: /\b(last|family|sur) ?name\b|nachname/i, make: (faker) => faker.person.lastName() },
  { label: /\be-?mail\b/i, make: (faker) => emailOf(faker) },
  { label: /\b(phone|mobile|telefon|tel)\b/i, make: (faker) => phoneOf(faker) },
  {
    label: /\b(street|address|adresse|straße)\b/i,
    make: (faker) => `${placeName(faker)} Lane ${faker.number.int({ min: 1, max: 90 })}`,
  },
  {
    label: /\b(post ?code|zip|plz)\b/i,
    make: (faker) => faker.string.numeric({ length: 4, allowLeadingZeros: false }),
  },
  { label: /\b(city|town|village|place|ort|site|location)\b/i, make: placeName },
  { label: /\bcountry\b|\bland\b/i, make: (faker) => faker.location.country() },
  {
    label: /\b(company|organi[sz]ation|supplier|firm|sponsor|funder|lender)\b/i,
    make: (faker) =>
      `${faker.person.lastName()} & ${faker.helpers.arrayElement(['Sons', 'Daughters', 'Partners', 'Friends'])}`,
  },
  { label: /\b(colou?r|farbe)\b/i, make: (faker) => faker.color.human() },
  { label: /\b(isbn)\b/i, make: (faker) => faker.commerce.isbn() },
  {
    label: /\b(code|number|no|nr|reference|ref|sku|id|serial)\b/i,
    make: (faker) => `${initials(faker, 2)}-${faker.string.numeric(4)}`,
  },
  { label: /\b(book|work|piece|song|title|titel|play)\b/i, make: (faker) => titleOf(faker) },
  {
    label: /\b(course|lesson|subject|talk|event|project|programme)\b/i,
    make: (faker) => `${capital(faker.word.adjective())} ${faker.word.noun()}`,
  },
  { label: /\b(dish|recipe|meal)\b/i, make: (faker) => faker.food.dish() },
  { label: /\b(ingredient|fruit|crop)\b/i, make: (faker) => faker.food.fruit() },
  { label: /\b(variety|plant|species|sort)\b/i, make: (faker) => capital(faker.word.adjective()) },
  {
    label: /\b(item|product|article|tool|part|material|object|thing|good)\b/i,
    make: (faker) => faker.commerce.productName(),
  },
  {
    label:
      /\b(name|person|member|keeper|borrower|patient|customer|client|contact|teacher|student|pupil|singer|guest|author|artist|volunteer|applicant|worker|by)\b/i,
    make: (faker) => faker.person.fullName({ sex: faker.person.sexType() }).replace(/^\w+\. /, ''),
  },
  { label: /\b(note|remark|description|comment|text|about|reason|report)/i, make: (faker) => sentence(faker) },
];

const capital = (word: string): string => word.slice(0, 1).toUpperCase() + word.slice(1);
const emailOf = (faker: Faker): string =>
  `${faker.person.firstName()}.${faker.person.lastName()}@example.org`.toLowerCase().replaceAll(/[^a-z.@]/g, '');
/** Numbers that nobody has. */
const phoneOf = (faker: Faker): string => `+00 555 ${faker.string.numeric(4)}`;
const placeEnds = ['fold', 'ford', 'wick', 'dale', 'ham', 'combe', 'ley', 'mere', 'thorpe', 'bridge'];
function placeName(faker: Faker): string {
  const begin = faker.helpers.arrayElement([
    'Alder',
    'Ash',
    'Birk',
    'Elm',
    'Fern',
    'Hazel',
    'Lark',
    'Oak',
    'Rowan',
    'Thorn',
    'Wren',
    'Marl',
  ]);
  return begin + faker.helpers.arrayElement(placeEnds);
}
const titleOf = (faker: Faker): string => `The ${capital(faker.word.adjective())} ${capital(faker.word.noun())}`;
const sentence = (faker: Faker): string =>
  `${capital(faker.word.adverb())} ${faker.word.adjective()}; ${faker.helpers.arrayElement(['seen to', 'to be looked at again', 'as agreed', 'nothing to report', 'told by phone'])}.`;

/** A made-up text for a field, by its label, and that of its table where its own says only that it is a name. */
export function madeText(faker: Faker, label: string, table: string): string {
  const own = texts.find((one) => one.label.test(label));
  const isName = /^(name|title|label|bezeichnung)$/i.test(label.trim());
  const ofTable = isName
    ? texts.find((one) => one.label.test(table.replace(/ies\b/i, 'y').replace(/s\b/i, '')))
    : undefined;
  return (ofTable ?? own)?.make(faker) ?? `${capital(faker.word.adjective())} ${faker.word.noun()}`;
}

export { emailOf as madeEmail, phoneOf as madePhone, sentence as madeSentence };
