import type { Observable } from 'rxjs';
import { FAULT_WORDS, type Fault } from '@heathridge/core/expression';
import { MOST_TEXT, type Value } from '@heathridge/core/values';
import type { Choice, ChoiceRequest } from '../shared/api.service';

/** Where a lookup's choices come from. */
export type Fetch = (field: string, request: ChoiceRequest) => Observable<readonly Choice[]>;

/** What an input holds: the value, the text a lookup shows, and what was typed while it cannot be read. */
export interface Held {
  readonly value: Value;
  /** What a lookup shows of the row it leads to. */
  readonly text?: string | null;
  /** As typed, while it is no value: nothing typed is lost. */
  readonly typed?: string;
  readonly problem?: string;
  /** Set where `typed` stands for a row of a lookup that is still to be searched. */
  readonly sought?: true;
  /** Why it cannot be worked out for this row. */
  readonly fault?: Fault;
  /** The characters of a text of which only the beginning is here. */
  readonly cut?: number;
}

/** What stands in a cell that cannot be worked out; {@link FAULT_WORDS} says why. */
export const UNWORKED = 'no result';

/** Whether only the beginning of a text is here: what is typed over it would be taken for the whole. */
export const isCut = (held: Held | undefined): boolean => held?.cut !== undefined;

/** Why a value cannot be worked out, or is not here as a whole; null when neither is so. */
export const why = (held: Held | undefined): string | null => {
  if (held?.fault) return FAULT_WORDS[held.fault];
  if (held?.cut === undefined) return null;
  return `Only its beginning is shown: this text has ${held.cut.toLocaleString('en-GB')} characters, and a field takes ${MOST_TEXT.toLocaleString('en-GB')} at most. It stays as it is.`;
};

/** What a lookup holds once the choices that match its typed text are known. */
export function sought(text: string, choices: readonly Choice[], was: Held): Held {
  const exact = choices.filter(([, shown]) => shown.toLowerCase() === text.trim().toLowerCase());
  const only = exact.length > 0 ? exact : choices;
  if (only.length === 1) return { value: only[0]![0], text: only[0]![1] };
  return {
    value: was.value,
    text: was.text,
    typed: text,
    problem:
      only.length === 0
        ? `Nothing matches “${text.trim()}”.`
        : `Several match “${text.trim()}”: please choose one.`,
  };
}
