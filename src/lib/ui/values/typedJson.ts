import { valueJson } from '$core/values/json';
import { readTyped } from '$core/values/typed';
import type { EnteredType } from '$core/values/value';
import { habit } from './habit';

/**
 * What a person wrote for a field as programs send it; a text that cannot be read goes as it is, so that the server
 * says why.
 */
export function typedJson(text: string, type: EnteredType, zone = 'UTC'): unknown {
  const read = readTyped(text, type, habit(), { zone });
  return read.ok ? valueJson(type, read.value) : text;
}
