import type { FormItemJson, FormJson, FormSectionJson } from '../src/lib/core/forms/formJson';
import type { ViewJson } from '../src/lib/core/views/viewJson';
import type { ChangeJson } from '../src/lib/server/api/changes/changes';
import type { FieldJson } from '../src/lib/server/structure/fieldJson';

const text = (label: string, more: object = {}): FieldJson => ({ label, type: 'text', ...more });
const link = (label: string, to: string, counterpart: string, more: object = {}): FieldJson => ({
  label,
  type: 'link',
  to,
  counterpart: { label: counterpart },
  ...more,
});
const formula = (table: string, label: string, written: string, more: object = {}): ChangeJson => ({
  do: 'addField',
  table,
  field: { label, type: 'formula', formula: written, ...more },
});
const view = (table: string, label: string, parts: Partial<ViewJson>): ChangeJson => ({
  do: 'addPart',
  kind: 'view',
  table,
  part: { label, ...parts },
});

const rule = (table: string, message: string, condition: string): ChangeJson => ({
  do: 'addRule',
  table,
  message,
  condition,
});

const form = (table: string, label: string, parts: Partial<FormJson>): ChangeJson => ({
  do: 'addPart',
  kind: 'form',
  table,
  part: { label, ...parts },
});
const section = (
  label: string,
  items: readonly FormItemJson[],
  more: Partial<FormSectionJson> = {},
): FormSectionJson => ({
  label,
  about: '',
  columns: 1,
  shownIf: '',
  items,
  ...more,
});

/** The cooperative's structure in the words of the API: fifteen tables in three workspaces, linked across. */
export const apiariesModel: readonly ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Keepers',
    dye: 'indigo',
    icon: 'users',
    description: 'Members of the cooperative',
    title: 'name',
    fields: [
      text('Code', { unique: true, required: true, help: 'As on the badge, with its leading zeros', example: 'K-014' }),
      text('Name', { required: true }),
      text('Village'),
      { label: 'Email', type: 'email' },
      { label: 'Joined', type: 'date' },
      { label: 'Phone', type: 'phone', internal: true, help: 'For the office only' },
      link('Mentor', 'keepers', 'Looks after', { onDelete: 'clear' }),
    ],
  },
  {
    do: 'addTable',
    label: 'Plants',
    dye: 'sage',
    icon: 'flower-2',
    description: 'What bees forage on',
    fields: [
      text('Name', { unique: true, required: true }),
      { label: 'Flowers from', type: 'date' },
      { label: 'Flowers to', type: 'date' },
    ],
  },
  {
    do: 'addTable',
    label: 'Apiaries',
    dye: 'moss',
    icon: 'map-pin',
    description: 'Places where hives stand',
    fields: [
      text('Name', { unique: true, required: true }),
      text('Village'),
      { label: 'Height', type: 'number', digits: 0, unit: 'm' },
      { label: 'Place', type: 'place' },
      text('Land owner', { internal: true }),
      link('Steward', 'keepers', 'Steward of'),
      link('Forage', 'plants', 'Apiaries', { many: true, onDelete: 'clear' }),
    ],
  },
  {
    do: 'addTable',
    label: 'Stands',
    dye: 'slate',
    icon: 'tag',
    description: 'Numbered places in an apiary',
    fields: [
      text('Code', { required: true, example: 'LM-03' }),
      link('Apiary', 'apiaries', 'Stands', { onDelete: 'remove' }),
      { label: 'Shade', type: 'option', options: ['full sun', 'half', 'shade'], entry: 'buttons' },
    ],
  },
  {
    do: 'addTable',
    label: 'Queens',
    dye: 'cochineal',
    icon: 'star',
    description: 'Each queen and where she comes from',
    fields: [
      { label: 'Mark', type: 'runningNumber', pattern: 'Q-{000}' },
      link('Mother', 'queens', 'Daughters', { onDelete: 'clear' }),
      { label: 'Born on', type: 'date' },
      { label: 'Line', type: 'option', options: ['valley', 'fell', 'market', 'stray'], open: true },
      { label: 'Temper', type: 'rating', most: 5 },
    ],
  },
  {
    do: 'addTable',
    label: 'Hives',
    dye: 'rust',
    icon: 'hexagon',
    description: 'One colony’s home',
    fields: [
      { label: 'Number', type: 'runningNumber', pattern: 'H-{0000}' },
      { label: 'Type', type: 'option', options: ['long hive', 'ten-frame', 'six-frame', 'top-bar'] },
      { label: 'Weight', type: 'number', digits: 1, unit: 'kg' },
      { label: 'Since', type: 'date' },
      link('Apiary', 'apiaries', 'Hives'),
      link('Keeper', 'keepers', 'Hives'),
      link('Stand', 'stands', 'Hives', {
        onDelete: 'clear',
        shows: ['shade'],
        candidates: 'stand.apiary = apiary',
        help: 'Only stands of the chosen apiary',
      }),
      link('Queen', 'queens', 'Hive', { onDelete: 'clear', unique: true }),
    ],
  },
  {
    do: 'addTable',
    label: 'Inspections',
    dye: 'plum',
    icon: 'clipboard-list',
    description: 'A visit to a hive',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date' },
      { label: 'Frames of brood', key: 'frames', type: 'number', digits: 0 },
      { label: 'Stores', type: 'progress' },
      { label: 'Temper', type: 'rating', most: 5 },
      { label: 'Seen', type: 'options', options: ['queen', 'eggs', 'cups', 'nothing unusual'], open: true },
      { label: 'Notes', type: 'longText', markdown: true, help: 'Markdown: *emphasis*, lists with -' },
      link('Hive', 'hives', 'Inspections'),
      link('Keeper', 'keepers', 'Visits', { onDelete: 'clear' }),
    ],
  },
  { do: 'addField', table: 'inspections', field: { label: 'Picture', type: 'pictures' } },
  form('inspections', 'At the hive', {
    audience: 'inside',
    sections: [
      section(
        'Which visit',
        [
          { field: 'hive', required: true },
          { field: 'day', required: true },
          { field: 'keeper', wide: true },
        ],
        { columns: 2 },
      ),
      section(
        'What was seen',
        [
          { field: 'frames' },
          { field: 'stores' },
          { field: 'temper' },
          { field: 'seen' },
          { field: 'picture', label: 'A picture of the cups', shownIf: "'cups' in (seen)", wide: true },
          { field: 'notes', wide: true },
        ],
        { columns: 2 },
      ),
    ],
  }),
  {
    do: 'addTable',
    label: 'Mite counts',
    dye: 'madder',
    icon: 'bug',
    description: 'Mites found in a sample of bees',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date', required: true },
      { label: 'Method', type: 'option', options: ['sugar roll', 'wash', 'board'] },
      { label: 'Bees sampled', type: 'number', digits: 0 },
      { label: 'Mites', type: 'number', digits: 0 },
      link('Hive', 'hives', 'Mite counts', { onDelete: 'remove' }),
    ],
  },
  {
    do: 'addTable',
    label: 'Treatments',
    dye: 'walnut',
    icon: 'flask-conical',
    description: 'What a hive was treated with, and how long honey waits',
    title: 'product',
    fields: [
      { label: 'Product', type: 'option', options: ['formic strips', 'oxalic drip', 'thymol'] },
      { label: 'Begins', type: 'date', required: true },
      { label: 'Ends', type: 'date' },
      link('Hive', 'hives', 'Treatments', { onDelete: 'remove' }),
    ],
  },
  formula('mite_counts', 'Rate', 'round(mites / bees_sampled, 4)', { help: 'Mites a bee' }),
  formula('treatments', 'Wait until', 'ends + 14'),
  formula('hives', 'Last seen', 'max(inspections.day)', { help: 'The latest day of the inspections linked here' }),
  formula('hives', 'Next due', 'last_seen + 14'),
  formula('hives', 'Mean temper', 'round(avg(inspections.temper), 1)'),
  formula(
    'hives',
    'Condition',
    "case when last_seen is null then 'never seen' when next_due < date '2026-05-16' then 'overdue' else 'fine' end",
  ),
  formula('hives', 'Mite rate', "avg(mite_counts.rate) filter (where mite_counts.day >= date '2026-02-15')", {
    help: 'Mean of the last 90 days',
  }),
  formula('queens', 'Generation', 'coalesce(mother.generation + 1, 0)', {
    help: 'How many mothers she has before the first one known',
  }),
  formula('queens', 'Descendants', 'count(daughters) + sum(daughters.descendants)', {
    help: 'Her daughters, their daughters, and so on',
  }),
  formula('apiaries', 'Hives in use', 'count(hives)'),
  formula('apiaries', 'Last inspection', 'max(hives.last_seen)'),
  formula('inspections', 'Apiary', 'hive.apiary.name', { help: 'Brought along through the hive' }),
  {
    do: 'addRule',
    table: 'stands',
    message: 'This apiary has a stand with this code already.',
    unique: ['apiary', 'code'],
  },
  rule('mite_counts', 'There cannot be more mites than bees.', 'mites <= bees_sampled'),
  rule('treatments', 'A treatment ends after it begins.', 'ends >= begins'),
  view('hives', 'Due by the week’s end', {
    filter: "next_due <= date '2026-05-23'",
    sort: 'next_due',
    columns: ['number', 'apiary', 'keeper', 'last_seen', 'next_due', 'condition', 'mite_rate'].map((field) => ({
      field,
    })),
    takesNew: false,
    colours: [{ when: "condition = 'overdue'", dye: 'madder' }],
  }),
  view('hives', 'By apiary', {
    groups: 'apiary',
    sort: '-weight',
    columns: [
      { field: 'number' },
      { field: 'apiary' },
      { field: 'type' },
      { field: 'weight', total: 'avg' },
      { field: 'keeper' },
      { field: 'last_seen', total: 'max' },
      { field: 'mean_temper' },
    ],
    takesNew: false,
  }),
  view('hives', 'Colonies by type', {
    kind: 'board',
    by: 'type',
    columns: [
      { field: 'number' },
      { field: 'apiary' },
      { field: 'keeper' },
      { field: 'weight', total: 'avg' },
      { field: 'next_due' },
    ],
    takesNew: false,
  }),
  view('inspections', 'Latest first', { sort: '-day', colours: [{ when: 'frames <= 2', dye: 'weld' }] }),
  view('inspections', 'By month', {
    groups: '-day:month',
    columns: [
      { field: 'day' },
      { field: 'hive' },
      { field: 'frames', total: 'sum' },
      { field: 'stores', total: 'avg' },
      { field: 'seen' },
    ],
  }),
  view('treatments', 'Calendar of treatments', {
    kind: 'calendar',
    by: 'begins',
    until: 'ends',
    columns: [{ field: 'product' }, { field: 'hive' }, { field: 'begins' }, { field: 'ends' }],
  }),
  view('keepers', 'Each keeper', { kind: 'beside', sort: 'name' }),
  view('queens', 'Queens as cards', { kind: 'cards', sort: '-born_on' }),
];

export const honeyModel: readonly ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Lots',
    dye: 'weld',
    icon: 'package',
    description: 'Pooled honey',
    fields: [
      { label: 'Number', type: 'runningNumber', pattern: 'LOT-{year}-{000}' },
      { label: 'Kind', type: 'option', options: ['blossom', 'linden', 'heather', 'forest'] },
      { label: 'Price per kg', type: 'money', currency: 'EUR', digits: 2 },
    ],
  },
  {
    do: 'addTable',
    label: 'Harvests',
    dye: 'rust',
    icon: 'scale',
    description: 'Honey taken from a hive',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date', required: true },
      { label: 'Kg', type: 'number', digits: 3, unit: 'kg' },
      { label: 'Moisture', type: 'percent', digits: 1 },
      link('Hive', 'apiaries.hives', 'Harvests'),
      link('Lot', 'lots', 'Harvests', { onDelete: 'clear' }),
    ],
  },
  {
    do: 'addTable',
    label: 'Movements',
    dye: 'slate',
    icon: 'truck',
    description: 'Honey in and out of a lot',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date', required: true },
      { label: 'Kind', type: 'option', options: ['extraction', 'filling', 'sample', 'loss'], entry: 'buttons' },
      { label: 'Kg', type: 'number', digits: 3, unit: 'kg' },
      link('Lot', 'lots', 'Movements'),
    ],
  },
  {
    do: 'addTable',
    label: 'Extractions',
    dye: 'rust',
    icon: 'scale',
    description: 'Honey that came out of the combs, as the extraction room writes it down',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date', required: true },
      { label: 'Kg', type: 'number', digits: 3, unit: 'kg' },
      text('Extractor'),
      link('Lot', 'lots', 'Extractions'),
    ],
  },
  {
    do: 'addTable',
    label: 'Fillings',
    dye: 'sage',
    icon: 'package',
    description: 'Honey that went into jars',
    title: 'filled_on',
    fields: [
      { label: 'Filled on', type: 'date', required: true },
      { label: 'Jars', type: 'number', digits: 0 },
      { label: 'Net weight', type: 'number', digits: 3, unit: 'kg' },
      link('Lot', 'lots', 'Fillings'),
    ],
  },
  {
    do: 'addTable',
    label: 'Market days',
    dye: 'heather',
    icon: 'store',
    description: 'A day at a stall',
    title: 'day',
    fields: [
      { label: 'Day', type: 'date', required: true },
      text('Village'),
      link('Stall keeper', 'apiaries.keepers', 'Market days', { onDelete: 'clear' }),
      { label: 'Weather', type: 'option', options: ['sun', 'cloud', 'rain', 'wind'] },
      { label: 'Stall open', type: 'duration' },
      { label: 'Booked by', type: 'member' },
    ],
  },
  {
    do: 'addTable',
    label: 'Sales lines',
    dye: 'walnut',
    icon: 'receipt',
    description: 'Jars of one lot sold on a market day',
    title: null,
    fields: [
      link('Market day', 'market_days', 'Lines', { onDelete: 'remove' }),
      link('Lot', 'lots', 'Sales'),
      { label: 'Jar', type: 'option', options: ['small 125 g', 'middle 250 g', 'large 500 g'] },
      { label: 'Jars', type: 'number', digits: 0 },
    ],
  },
  formula('movements', 'Signed kg', "case kind when 'extraction' then kg else -kg end"),
  formula('lots', 'Kg in', 'sum(harvests.kg)'),
  formula('lots', 'Kg left', 'sum(movements.signed_kg)'),
  formula('lots', 'Keepers', "string_agg(distinct harvests.hive.keeper.name, ', ' order by harvests.hive.keeper.name)"),
  formula('sales_lines', 'Grams', "case jar when 'small 125 g' then 125 when 'middle 250 g' then 250 else 500 end"),
  formula('sales_lines', 'Price each', 'round(grams / 1000 * lot.price_per_kg, 2)'),
  formula('sales_lines', 'Amount', 'jars * price_each'),
  formula('market_days', 'Takings', 'sum(lines.amount)'),
  formula(
    'harvests',
    'Allowed',
    'not exists(hive.treatments) filter (where hive.treatments.begins <= day and hive.treatments.wait_until > day)',
  ),
  rule('movements', 'A movement has a weight above 0.', 'kg > 0'),
  form('market_days', 'A day at the stall', {
    audience: 'inside',
    sections: [
      section(
        'The day',
        [
          { field: 'day' },
          { field: 'village', required: true },
          { field: 'stall_keeper' },
          { field: 'weather' },
          { field: 'stall_open' },
        ],
        {
          columns: 2,
        },
      ),
      section('What was sold', [{ list: 'lines', label: 'Jars of honey' }]),
    ],
  }),
];

/** The two books of the extraction room in one: what is in stock, with a sign and a note of its own. */
export const stockFeed = {
  work: 'feed',
  sources: [
    { table: 'extractions', mark: 'extraction' },
    { table: 'fillings', mark: 'filling', where: 'net_weight > 0' },
  ],
  to: { label: 'Stock movements' },
  markLabel: 'Kind',
  fields: [
    { label: 'Day', from: { extractions: 'day', fillings: 'filled_on' } },
    { label: 'Lot', from: { extractions: 'lot.number', fillings: 'lot.number' } },
    { label: 'Kg', from: { extractions: 'kg', fillings: 'net_weight' } },
  ],
} as const;

export const stockModel: readonly ChangeJson[] = [
  formula('stock_movements', 'Signed kg', "case kind when 'extraction' then kg else -kg end"),
  { do: 'addField', table: 'stock_movements', field: text('Note') },
  {
    do: 'changeTable',
    table: 'stock_movements',
    set: {
      description: 'Extractions and fillings as they come, and what is left in stock',
      dye: 'moss',
      icon: 'truck',
    },
  },
  view('stock_movements', 'What is in stock', {
    kind: 'grid',
    sort: '-day',
    columns: [
      { field: 'day' },
      { field: 'kind' },
      { field: 'lot' },
      { field: 'kg' },
      { field: 'signed_kg', total: 'sum' },
      { field: 'note' },
    ],
  }),
];

/** What the apiaries learn from the honey. */
export const harvestModel: readonly ChangeJson[] = [
  formula('hives', 'Kg brought', 'sum(harvests.kg)'),
  formula('keepers', 'Kg this year', "sum(hives.harvests.kg) filter (where hives.harvests.day >= date '2026-01-01')"),
];

/** What Ida thinks over by herself before the others see it. */
export const privateModel: readonly ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Talks',
    dye: 'woad',
    icon: 'users',
    description: 'Talks that we could give next winter',
    private: true,
    fields: [
      text('Title'),
      text('Audience'),
      { label: 'Day', type: 'date' },
      { label: 'Minutes', type: 'number' },
      { label: 'State', type: 'option', options: ['idea', 'asked', 'fixed'] },
    ],
  },
];

export const outreachModel: readonly ChangeJson[] = [
  {
    do: 'addTable',
    label: 'Swarm reports',
    dye: 'weld',
    icon: 'megaphone',
    description: 'Sent in by anyone in the villages',
    fields: [
      text('Place'),
      { label: 'Seen on', type: 'date' },
      { label: 'Size', type: 'option', options: ['fist', 'melon', 'basket'] },
      { label: 'State', type: 'option', options: ['seen', 'taken', 'gone'] },
      text('Words'),
      { label: 'Reported at', type: 'dateTime' },
      { label: 'Where', key: 'spot', type: 'place' },
      { label: 'Reporter’s phone', key: 'reporter_phone', type: 'phone', internal: true },
      { label: 'Reporter’s email', key: 'reporter_email', type: 'email' },
      { label: 'Picture', type: 'pictures' },
      { label: 'Page', type: 'url' },
      link('Taken by', 'apiaries.keepers', 'Swarms taken', { onDelete: 'clear' }),
    ],
  },
  formula('swarm_reports', 'Waiting days', "case when state = 'seen' then today() - seen_on end"),
  form('swarm_reports', 'Report a swarm', {
    audience: 'outside',
    intro:
      'Thank you for telling us. Bees in a swarm are calm: they guard nothing. Keep a few steps away, and leave them where they are.',
    sections: [
      section('Where and when', [
        { field: 'place', label: 'Where is it?', placeholder: 'such as: the old oak behind the mill', required: true },
        { field: 'seen_on', label: 'On which day did you see it?' },
        { field: 'size', label: 'How large is it?', help: 'As large as …', required: true },
        { field: 'picture', label: 'A picture, if you have one' },
        { field: 'reporter_email', label: 'Your email, if you want to hear from us' },
        { field: 'state', hidden: true, preset: 'seen' },
      ]),
      section('A large swarm', [{ field: 'words', label: 'What is below it, and can a ladder stand there?' }], {
        about: 'Two of us will come, with a ladder.',
        shownIf: "size = 'basket'",
      }),
    ],
    thanks: 'A keeper near you sees it at once, and will come within the day.',
    closed: 'The season of swarms is over. Bees in autumn stay where they are.',
  }),
];

/** Which lots are sold on a market day: chosen from a list to which every new lot is added. */
export const onSale = (lots: readonly string[]): readonly ChangeJson[] => [
  { do: 'addField', table: 'market_days', field: { label: 'Lots on sale', type: 'options', options: [...lots] } },
];
