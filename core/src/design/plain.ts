import type { Field, FieldType, Table } from './schema';

/** A field with nothing asked of its values. */
export const plainField = (
  id: string,
  name: string,
  label: string,
  type: FieldType,
  rest: Partial<Field> = {},
): Field => ({
  id,
  name,
  label,
  type,
  alwaysFilled: false,
  noTwoAlike: false,
  indexed: false,
  start: null,
  rule: null,
  ...rest,
});

/** A table of these fields, whose key is the first unless others are named. */
export const plainTable = (
  id: string,
  name: string,
  label: string,
  plural: string,
  fields: Field[],
  key = [fields[0]!.id],
): Table => ({
  type: 'table',
  id,
  name,
  label,
  plural,
  fields,
  key,
  display: null,
  rules: [],
  links: [],
  noTwoAlike: [],
  order: [],
});
