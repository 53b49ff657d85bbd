/** A count with its unit: “1 record”, “240 records”. */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
