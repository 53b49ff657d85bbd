import { valueJson, type EnteredType } from '$core/fieldTypes/registry';
import { readTyped } from '$core/fieldTypes/typed';
import { habit } from './habit';

/**
 * What a person wrote for a field as programs send it; a text that cannot be read goes as it is, so that the server
 * says why.
 */
export function typedJson(text: string, type: EnteredType, zone = 'UTC'): unknown {
  const read = readTyped(text, type, habit(), { zone });
  return read.ok ? valueJson(type, read.value) : text;
}
