import type { NoSettings } from '../types/field';
import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import { gazetteer } from './gazetteer';
import type { ValueKind } from './kind';
import { readNumber, takeNumber, numberJson } from './number';
import { compareCodePoints, textWithin } from './text';

/** An address, a point, or both. Degrees as canonical numbers with at most six decimals (about ten centimetres). */
export interface Place {
  readonly address: string | null;
  readonly latitude: string | null;
  readonly longitude: string | null;
}

export const longestAddress = 500;

export const placeOf = (value: Scalar): Place => JSON.parse(String(value)) as Place;

/** The one way a place is written as a value: its three members in this order. */
export const placeValue = ({ address, latitude, longitude }: Place): string =>
  JSON.stringify({ address, latitude, longitude });

/** Six decimals at most are kept; more are refused rather than cut unseen. */
function degrees(read: Result<string>, most: number, word: string): Result<string> {
  if (!read.ok) return read;
  return Math.abs(Number(read.value)) <= most
    ? read
    : bad(`${read.value} is no ${word}.`, `A ${word} lies between −${most} and ${most} degrees.`);
}

function settled(
  address: string | null,
  latitude: Result<string> | null,
  longitude: Result<string> | null,
): Result<Scalar> {
  if (latitude && !latitude.ok) return latitude;
  if (longitude && !longitude.ok) return longitude;
  if ((latitude === null) !== (longitude === null))
    return bad('A point has a latitude and a longitude.', 'Give both or none.');
  if (address === null && latitude === null) return good(null);
  return good(placeValue({ address, latitude: latitude?.value ?? null, longitude: longitude?.value ?? null }));
}

const point = /^(?:(.*\S)\s*[(@]\s*)?([-+−]?\d{1,3}(?:\.\d+)?)\s*[,;]\s*([-+−]?\d{1,3}(?:\.\d+)?)\s*\)?$/s;

declare module '../types/field' {
  interface FieldTypes {
    /** An address with its latitude and longitude (WGS 84, degrees). */
    readonly place: NoSettings;
  }
}

/** `54.6, -2.9`, `Low Meadow (54.6, -2.9)`, a name of the gazetteer, or any other address without a point. */
export const place: ValueKind<'place'> = {
  word: 'place',
  valueType: () => ({ is: 'place' }),
  looksLike: 'words',
  json(value) {
    const { address, latitude, longitude } = placeOf(value);
    return {
      address,
      latitude: latitude === null ? null : numberJson(latitude),
      longitude: longitude === null ? null : numberJson(longitude),
    };
  },
  parse(written) {
    const within = textWithin(written, longestAddress);
    if (!within.ok) return within;
    const found = point.exec(written);
    if (found) {
      const [latitude, longitude] = [found[2], found[3]].map((text) => readNumber(text ?? '', 6, { decimal: '.' }));
      return settled(
        found[1] ?? null,
        degrees(latitude ?? bad(''), 90, 'latitude'),
        degrees(longitude ?? bad(''), 180, 'longitude'),
      );
    }
    const known = gazetteer.find(({ name }) => name.toLowerCase() === written.toLowerCase());
    return good(
      known
        ? placeValue({ address: known.name, latitude: known.latitude, longitude: known.longitude })
        : placeValue({ address: written, latitude: null, longitude: null }),
    );
  },
  take(value, type, reading) {
    if (typeof value === 'string') return place.parse(value.trim(), type, reading);
    if (typeof value !== 'object' || value === null)
      return bad('This is no place.', 'Write {"address": …, "latitude": …, "longitude": …}.');
    const { address, latitude, longitude } = value as Record<string, unknown>;
    const text =
      typeof address === 'string' && address.trim() !== '' ? textWithin(address.trim(), longestAddress) : good(null);
    if (!text.ok) return text;
    const degree = (given: unknown, most: number, word: string) =>
      given === null || given === undefined ? null : degrees(takeNumber(given, 6), most, word);
    return settled(text.value, degree(latitude, 90, 'latitude'), degree(longitude, 180, 'longitude'));
  },
  print(value) {
    const { address, latitude, longitude } = placeOf(value);
    const at = latitude === null ? '' : `${latitude}, ${longitude}`;
    return address === null ? at : at === '' ? address : `${address} (${at})`;
  },
  compare: (a, b) =>
    compareCodePoints(placeOf(a).address ?? '', placeOf(b).address ?? '') || compareCodePoints(String(a), String(b)),
  sample(random) {
    const { name, latitude, longitude } = gazetteer[Math.floor(random() * gazetteer.length)] ?? {
      name: 'Alderfold',
      latitude: '54.6012',
      longitude: '-2.911',
    };
    return placeValue({ address: name, latitude, longitude });
  },
};
