import { comesWithText, valueKind, type Field, type FormWorked } from '@heathridge/core/design';
import { showValue, type Locale } from '@heathridge/core/values';
import { UNWORKED, type Held } from '../value/held';

/** What stands in a field of a row, as people read it. */
export function fieldShown(field: Field, held: Held, locale: Locale): string {
  const { value, text, fault } = held;
  if (fault) return UNWORKED;
  if (comesWithText(field)) return text ?? '';
  if (value === null && (field.type.kind === 'runningNumber' || field.type.kind === 'stamp'))
    return 'given when saved';
  return showValue(valueKind(field.type), value, locale);
}

/** What is worked out for a row beside its fields, as people read it. */
export function workedShown({ result }: FormWorked, held: Held | undefined, locale: Locale): string {
  if (!held) return '';
  return held.fault ? UNWORKED : showValue(valueKind(result), held.value, locale);
}
