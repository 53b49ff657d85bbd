import { expect, test } from 'vitest';
import { calledAfter, type Called } from './calledAfter';

/** Column, its own sheet, the sheet whose key it may hold, and that key. */
const cases: readonly (readonly [string, string, string, string, Called])[] = [
  ['hive_no', 'visits', 'hives', 'no', 'exactly'],
  ['damage_class_id', 'moves', 'move_damage_classes', 'id', 'exactly'],
  ['species_id', 'plants', 'plant_species', 'id', 'exactly'],
  ['iata', 'flights', 'airports', 'iata', 'alike'],
  ['trigger_item_id', 'evolutions', 'items', 'id', 'end'],
  ['evolves_from_species_id', 'plants', 'plant_species', 'id', 'end'],
  ['gender_rate', 'species', 'growth_rates', 'id', 'part'],
  ['type_id', 'moves', 'contest_types', 'id', 'end'],
  ['contest_type_id', 'moves', 'types', 'id', 'end'],
  ['cust', 'orders', 'customers', 'code', 'exactly'],
  ['dept', 'staff', 'departments', 'id', 'exactly'],
  ['Kundennummer', 'Rechnungen', 'Kunden', 'Nummer', 'exactly'],
  ['CodiceRegione', 'comuni', 'Regioni', 'codice', 'exactly'],
  ['person', 'groups', 'people', 'name', 'exactly'],
  ['id', 'orders', 'customers', 'id', 'silent'],
  ['frames', 'visits', 'hives', 'no', 'other'],
  ['effect_id', 'moves', 'items', 'id', 'other'],
];

test.each(cases)('%s of %s beside %s by %s: %s', (column, sheet, things, key, called) => {
  expect(calledAfter(column, sheet, { things, key })).toBe(called);
});
