import { fromStored, type Catalog } from '@heathridge/core/expression';
import { KIND_LABELS, lookupDisplay, type Design, type Field, type KindName } from '@heathridge/core/design';

/** The icon of each kind of field. */
export const KIND_ICONS: Readonly<Record<KindName, string>> = {
  text: 'short_text',
  longText: 'notes',
  wholeNumber: 'numbers',
  decimal: 'pin',
  money: 'payments',
  tick: 'check_box',
  date: 'calendar_today',
  choice: 'list',
  lookup: 'arrow_outward',
  runningNumber: 'tag',
};

/** What a field is, in a short phrase: `looks up a player · shows surname`. */
export function describe(design: Design, catalog: Catalog, field: Field): string {
  const { type } = field;
  const parts: string[] = [];
  switch (type.kind) {
    case 'lookup': {
      const target = design.tables.find(({ id }) => id === type.table);
      parts.push(
        target
          ? `looks up ${/^[aeiou]/i.test(target.label) ? 'an' : 'a'} ${target.label.toLowerCase()}`
          : 'looks up a table that is gone',
      );
      if (target) parts.push(`shows ${fromStored(lookupDisplay(design, type), catalog, target.id)}`);
      break;
    }
    case 'runningNumber':
      parts.push(`running number, from ${type.prefix}${String(type.first).padStart(type.width, '0')}`);
      break;
    case 'decimal':
    case 'money':
      parts.push(
        `${KIND_LABELS[type.kind].toLowerCase()}, ${type.places} ${type.places === 1 ? 'place' : 'places'}`,
      );
      break;
    case 'choice':
      parts.push(`choice of ${type.choices.slice(0, 4).join(', ')}${type.choices.length > 4 ? ' …' : ''}`);
      break;
    case 'text':
      parts.push(type.most ? `text, up to ${type.most} characters` : 'text');
      break;
    default:
      parts.push(KIND_LABELS[type.kind].toLowerCase());
  }
  if (field.start !== null && field.start !== '') parts.push(`starts as ${field.start}`);
  if (field.noTwoAlike) parts.push('no two alike');
  return parts.join(' · ');
}

/** The type a field of a kind begins with. */
export function newType(kind: KindName, design: Design): Field['type'] {
  switch (kind) {
    case 'text':
      return { kind, most: null };
    case 'decimal':
      return { kind, places: 2 };
    case 'money':
      return { kind, places: 2 };
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
