/** Numbers, shares, amounts and times with their sign: no spreadsheet runs them. */
const signed = /^[+-]?\d+([.:]\d+)*( ?%| [A-Z]{3})?$/;

/**
 * A spreadsheet would run a cell that begins so as a formula; a quote before it makes it text, and our own reading
 * takes that quote away again. Signed numbers stay.
 */
export const defused = (text: string): string =>
  /^'*[=+\-@\t\r]/.test(text) && !signed.test(text) ? `'${text}` : text;
