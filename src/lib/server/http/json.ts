/** Texts and numbers of a JSON text, one after the other (RFC 8259). */
const tokens = /"(?:[^"\\]|\\.)*"|-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/g;
/** A number that has more digits than a binary one keeps is at least so long. */
const mayLose = /\d[\d.]{15,}|[eE][+-]?\d{2,}/;

/**
 * Reads JSON; numbers that would lose digits as binary ones come as the texts they were written as, which every place
 * that takes a decimal number reads. Throws where it is no JSON.
 */
export function parseJson(text: string): unknown {
  if (!mayLose.test(text)) return JSON.parse(text);
  // Read as JSON first: what is put into quotes below could make JSON of what is none.
  JSON.parse(text);
  return JSON.parse(
    text.replace(tokens, (token) => (token.startsWith('"') || keepsDigits(token) ? token : `"${token}"`)),
  );
}

/**
 * Whether the texts of a JSON text are ones that can be kept: without NUL, and of whole characters. What is no JSON is
 * left to its reader.
 */
export function holdsOnlyText(text: string): boolean {
  try {
    JSON.parse(text, (key, value: unknown) => {
      for (const one of [key, value])
        if (typeof one === 'string' && (one.includes('\0') || !one.isWellFormed())) throw new Unkept();
      return value;
    });
    return true;
  } catch (error) {
    return !(error instanceof Unkept);
  }
}

class Unkept extends Error {}

/** Whether a number as it is written is what its binary form says. */
function keepsDigits(written: string): boolean {
  const [digits = ''] = written.replace('-', '').split(/[eE]/);
  const significant = digits.replace('.', '').replace(/^0+/, '').replace(/0+$/, '');
  const binary = Number(written);
  // Beyond what a binary number reaches it is infinite, or nothing.
  return significant.length <= 15 && Number.isFinite(binary) && (binary !== 0 || significant === '');
}
