import { minorUnits } from '../values';
import type { Design, Field, FieldType, KindName, Table } from './schema';

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

/** The type a field of a kind begins with. */
export function plainType(kind: KindName, design: Design): FieldType {
  switch (kind) {
    case 'text':
      return { kind, most: null };
    case 'decimal':
      return { kind, places: 2 };
    case 'money':
      return { kind, places: minorUnits(design.settings.currency) };
    case 'stamp':
      return { kind, of: 'createdAt' };
    case 'workedOut':
      return { kind, expression: "''", result: { kind: 'text', most: null } };
    case 'choice':
      return { kind, choices: ['First choice'] };
    case 'lookup':
      return {
        kind,
        table: design.tables.find(({ key }) => key.length === 1)?.id ?? '',
        shows: null,
        onDelete: 'refuse',
      };
    case 'runningNumber':
      return { kind, prefix: '', width: 4, first: 1 };
    default:
      return { kind };
  }
}
