import {
  formulasOfAttrs,
  formulasOfDocument,
  mapDocument,
  plainPaper,
  printDocument,
  readDocument,
  turnedDocument,
} from '../documents/document';
import { good } from '../base/problem';
import type { Document } from '../types/document';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    readonly document: Document;
  }
}

/** What uses a field that is gone is passed over where a document is filled, and said. */
export const document: PartDescriptor<'document'> = {
  word: 'document',
  words: 'documents',
  idPrefix: 'a',
  needs: 'design',
  check: () => good(true),
  conditions: (part) => formulasOfDocument(part).map((condition) => ({ condition })),
  keeping: (part, kept) =>
    mapDocument(part, (node) => (node.attrs && !formulasOfAttrs(node.attrs).every(kept) ? null : node)),
  following: (part, { old, now, via = [], turned }) =>
    turnedDocument(part, { formula: turned, field: (id) => (id === old && via.length === 0 ? now : id) }),
  spoken: (part, turn) => ({
    ...mapDocument(part, (node) => (node.text === undefined ? node : { ...node, text: turn(node.text, 'text') })),
    label: turn(part.label),
    description: turn(part.description, 'description'),
  }),
  blank: () => ({
    id: '',
    label: '',
    description: '',
    paper: plainPaper,
    labels: null,
    header: [],
    body: [{ type: 'paragraph' }],
    footer: [],
  }),
  print: (model, table, part) => {
    const { json, lost } = printDocument(model, table, part);
    return { json, lost: lost === 0 ? [] : [`${lost} of its fields and parts use what was deleted`] };
  },
  read: (model, table, id, json) => readDocument(model, table, id, json),
};
