import { SaxesParser } from 'saxes';
import { Refusal, refuse } from '../../base/refusal';

export interface XmlEvents {
  open?(name: string, attributes: Readonly<Record<string, string>>): void;
  text?(text: string): void;
  close?(name: string): void;
}

/** The name without its prefix: files choose prefixes as they like. */
const localName = (name: string): string => name.slice(name.indexOf(':') + 1);

/**
 * An XML parser that is fed pieces of bytes; names come without prefixes, attributes with theirs. Entities of one's own
 * are refused.
 */
export function xmlReader(name: string, events: XmlEvents): { write(chunk: Buffer): void; end(): void } {
  const parser = new SaxesParser({ position: false, xmlns: false });
  const decoder = new TextDecoder();
  const { open, text, close } = events;
  if (open) parser.on('opentag', (tag) => open(localName(tag.name), tag.attributes));
  if (text) {
    parser.on('text', text);
    parser.on('cdata', text);
  }
  if (close) parser.on('closetag', (tag) => close(localName(tag.name)));
  parser.on('error', () => {
    throw refuse(422, `${name} is cut off or damaged.`, 'Save it again and bring in the whole file.');
  });
  const guarded = (work: () => void) => {
    try {
      work();
    } catch (error) {
      throw error instanceof Refusal
        ? error
        : refuse(422, `${name} is cut off or damaged.`, 'Save it again and bring in the whole file.');
    }
  };
  return {
    write: (chunk) => guarded(() => parser.write(decoder.decode(chunk, { stream: true }))),
    end: () => guarded(() => parser.write(decoder.decode()).close()),
  };
}

/** Reads a small part whole. */
export function readXml(name: string, text: string, events: XmlEvents): void {
  const reader = xmlReader(name, events);
  reader.write(Buffer.from(text, 'utf8'));
  reader.end();
}
