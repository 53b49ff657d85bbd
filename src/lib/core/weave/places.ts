/** Where tables stand in Weave, by identity, in the pixels of its own plane; null for those laid out by themselves. */
export type WeavePlaces = Readonly<Record<string, { readonly x: number; readonly y: number } | null>>;
