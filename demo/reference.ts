import { writeFileSync } from 'node:fs';
import { functionReference } from '../src/lib/core/formula/functions/reference';

writeFileSync(new URL('../docs/guide/functions.md', import.meta.url), functionReference());
