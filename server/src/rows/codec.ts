import { storing, travelling, type Field } from '@heathridge/core/design';
import type { Value } from '@heathridge/core/values';

/** A value as a column holds it, or none. */
export type Stored = string | number | null;

/** A field's value as the file keeps it. */
export const toStored = ({ type }: Field, value: Value): Stored => storing(type, value);

/** The inverse: a value as it travels, from what the file keeps. */
export const fromStored = ({ type }: Field, stored: Stored): Value =>
  stored === null ? null : travelling(type, stored);
