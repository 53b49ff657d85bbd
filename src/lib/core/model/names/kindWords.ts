import { say } from '../../base/say';
import { fieldKinds } from '../../fieldTypes/registry';
import type { FieldKind } from '../../types/field';

/** What a kind of field is called. */
export const kindWord = (kind: FieldKind): string => say(fieldKinds[kind].word);
