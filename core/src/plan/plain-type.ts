import type { Design, FieldType, KindName } from '../design';
import { minorUnits } from './currency';

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
