/**
 * What the names of columns say of their values: words that the trade uses in several languages, as hints beside what
 * the values themselves are.
 */
const list = (words: string): ReadonlySet<string> => new Set(words.split(/\s+/));

/** Its values only tell things apart. */
const keys = list(`
  id ids uid uuid guid key code codes cod codice codici codigo codigos kod kode kodi koodi nr no num numero nummer number
  ref reference referenz referencia riferimento sku isbn issn ean gtin upc barcode asin plz zip postcode postal cap cep
  postleitzahl iban bic account acct konto cuenta conto compte phone tel telephone telefon telefono mobile fax fips geoid
  iso siren siret insee istat nuts naics nace isin cusip cas vin imei ssn vat matricola matricule kennung kennziffer
  schlussel serial licence license imo icao iata oid pid
`);
/** Endings of compound words that name a key, such as the German Kundennummer. */
const keyEnds = /(?:code|kode|nummer|number|schlussel|kennung|kennziffer|leitzahl)$/;
const keyNumber = /^(?:anzahl|zahl|number)$/;

/** Its values are measured, counted or summed. */
const measures = list(`
  count counts amount amounts total totals sum qty quantity quantities price prices cost costs value values weight height
  length width depth size age area population pop inhabitants score rate ratio percent pct percentage share speed
  temperature temp distance duration minutes hours days seconds secs votes sales revenue income gross budget balance
  units stock visits visitors orders rows capacity volume mass points goals min max mean avg average median year years
  month months day hour minute quantile deaths births cases anzahl menge preis betrag summe gewicht hohe alter flache
  einwohner wert jahr monat tage stunden umsatz prix montant nombre quantite poids surface effectif annee mois cantidad
  precio importe edad peso poblacion ano mes valor total prezzo importo quantita eta popolazione altezza anno mese aantal
  prijs bedrag gewicht oppervlakte inwoners jaar km kg mm cm lbs gold silver bronze wins losses index rank ranking sequence position
`);
/** Its few values are kinds of things. */
const classes = list(`
  type types typ tipo class classes klasse classe clase category categories categoria categorie kategorie kind status
  state statut stato zustand mode modus modo group gruppe groupe grupo gruppo cluster direction richtung direccion level
  niveau stufe livello nivel tier stage phase fase zone zona sector sektor settore party sex gender geschlecht sexo sesso
  genre quality priority severity season wave scheme method colour color boarding accessible wheelchair shift
`);

/** A name taken apart into its words, in small letters without marks: `CodicePaís` → `codice`, `pais`. */
export const wordsOfName = (name: string): readonly string[] =>
  name
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .split(/[^\p{L}]+/u)
    .filter((word) => word !== '');

export type NamedAs = 'key' | 'measure' | 'class' | null;

/**
 * What a column is called as. The words at both ends count, as languages put the main one first or last; what is
 * measured wins where it stands last (“number of visitors”, “account balance”), a key where it stands anywhere else.
 */
export function namedAs(name: string): NamedAs {
  const words = wordsOfName(name);
  const [first = '', last = ''] = [words[0], words.at(-1)];
  if (measures.has(last) || (keyNumber.test(first) && words.length > 1)) return 'measure';
  if (words.some((word) => (keys.has(word) || keyEnds.test(word)) && !keyNumber.test(word)) || last === 'number')
    return 'key';
  if (measures.has(first)) return 'measure';
  // A subgroup is a group.
  return [last, first].some((word) => classes.has(word) || classes.has(word.replace(/^sub/, ''))) ? 'class' : null;
}
