import type { FieldKind, FieldType } from '$core/types/field';
import { changedAt, changedBy, createdAt, createdBy, formula } from './kinds/derived';
import { date } from './kinds/date';
import { dateTime } from './kinds/dateTime';
import { duration } from './kinds/duration';
import { email } from './kinds/email';
import { files, pictures } from './kinds/files';
import { counterpart, link } from './kinds/link';
import { longText } from './kinds/longText';
import { member } from './kinds/member';
import { money } from './kinds/money';
import { number } from './kinds/number';
import { option } from './kinds/option';
import { options } from './kinds/options';
import { percent } from './kinds/percent';
import { phone } from './kinds/phone';
import { place } from './kinds/place';
import { progress } from './kinds/progress';
import { rating } from './kinds/rating';
import { runningNumber } from './kinds/runningNumber';
import { text } from './kinds/text';
import { url } from './kinds/url';
import { yesNo } from './kinds/yesNo';
import type { DraftType } from './fieldDraft';
import type { FieldUi } from './kind';

/** What the interface knows of each kind of field; in this order they are offered. */
export const fieldUis: { readonly [K in FieldKind]: FieldUi<K> } = {
  text,
  longText,
  email,
  phone,
  url,
  number,
  money,
  percent,
  progress,
  rating,
  runningNumber,
  date,
  dateTime,
  duration,
  yesNo,
  option,
  options,
  member,
  place,
  pictures,
  files,
  link,
  formula,
  counterpart,
  createdAt,
  createdBy,
  changedAt,
  changedBy,
};

/** What the interface knows of fields of this type. */
export const uiOf = ({ kind }: Pick<FieldType, 'kind'>): FieldUi<FieldKind> => fieldUis[kind];

/** The kinds that a person chooses from, in their order. */
export const draftTypes = (): DraftType[] =>
  (Object.keys(fieldUis) as FieldKind[]).filter((kind): kind is DraftType => fieldUis[kind].group !== undefined);
