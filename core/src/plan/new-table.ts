import { nameFromLabel, plainField, plainTable, uniqueName, type Design, type Table } from '../design';
import { plainType } from './plain-type';
import { pluralOf } from './plural';

/** Makes the id of something new, from a letter for what it is. */
export type MakeId = (letter: 't' | 'f') => string;

/** A table as it begins: with a running number for its key, and a name that no other has. */
export function newTable(
  design: Design,
  label: string,
  makeId: MakeId,
  { plural = pluralOf(label), among = design.tables }: { plural?: string; among?: readonly Table[] } = {},
): Table {
  const taken = among.map(({ name }) => name);
  const key = plainField(makeId('f'), 'number', 'Number', plainType('runningNumber', design));
  return plainTable(makeId('t'), uniqueName(nameFromLabel(label, 'table'), taken), label, plural, [key]);
}
