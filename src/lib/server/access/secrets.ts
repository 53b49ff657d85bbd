import { createHash, randomBytes } from 'node:crypto';

/** A secret that nobody guesses: 256 bits. */
export const newSecret = (): string => randomBytes(32).toString('base64url');

/** What is kept of a secret; it needs no salt, as it is random itself. */
export const hashOfSecret = (secret: string): Buffer => createHash('sha256').update(secret).digest();
