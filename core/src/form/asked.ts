import type { Design, Field, QueryQuestion } from '../design';
import { attempt } from '../expression';
import { questionField } from '../query';
import { startValue } from '../rows';
import type { Value } from '../values';

/** Something that a query asks, as a field is asked for: with a line for the answer. */
export interface Asked {
  /** The id of the question. */
  readonly id: string;
  readonly label: string;
  /** Whether there is no result without an answer. */
  readonly needed: boolean;
  /** A field for the answer, whose id is that of the question. */
  readonly field: Field;
  /** The lookup whose choices are the answers; null where there are none to choose from. */
  readonly lookup: string | null;
  /** What it starts with; null for nothing, and where that cannot be worked out. */
  readonly start: Value;
}

/** What is asked of whoever reads a query, on a day (`YYYY-MM-DD`). */
export function askedBy(design: Design, questions: readonly QueryQuestion[], today: string): Asked[] {
  const moment = { today, now: `${today}T00:00:00Z` };
  return questions.map((question) => {
    const { id, label, needed, answer, start } = question;
    const field = questionField(design, question);
    const started = attempt(() => startValue(design, { ...field, start }, moment));
    const lookup = answer.kind === 'lookup' ? answer.field : null;
    return { id, label, needed, field, lookup, start: started.ok ? started.value : null };
  });
}
