/**
 * What an object holds under a name that people chose; undefined where it holds none, as for “constructor”, which every
 * object inherits.
 */
export const own = <T>(object: Readonly<Record<string, T>>, name: string): T | undefined =>
  Object.hasOwn(object, name) ? object[name] : undefined;
