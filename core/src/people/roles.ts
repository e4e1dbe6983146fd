import { attempt, sqlText } from '../expression';
import {
  conditionIn,
  fieldOf,
  findField,
  listOf,
  uses,
  type Design,
  type DocumentSort,
  type Form,
  type FormPart,
  type RoleDefinition,
  type Use,
} from '../design';
import { mapParts } from '../form';
import { mayPress } from './buttons';
import { peopleMay, rightsOn, type TableRights } from './limits';

/**
 * What all rows of a table meet that are there for somebody with a role, as expressions over a row. `name` is hers, as
 * stamps and history have it.
 */
export function conditionsOn(role: RoleDefinition, table: string, name: string): string[] {
  const { own, conditions } = rightsOn(role, table);
  return [...(own ? [`"#${own}" = ${sqlText(name.normalize('NFC'))}`] : []), ...conditions];
}

/**
 * A screen as it is there for somebody with a role, or null where it is not: without what is hidden from her, with no
 * more rights than she has, and over the rows that are hers to see.
 */
export function screenFor(design: Design, role: RoleDefinition, form: Form, name: string): Form | null {
  if (!role.screens.includes(form.id)) return null;
  const own = rightsOn(role, form.table);
  if (!own.read) return null;
  const both = (conditions: readonly string[] | undefined, table: string): string[] => [
    ...(conditions ?? []),
    ...conditionsOn(role, table, name),
  ];
  const part = (at: FormPart): FormPart | null => {
    if (at.part === 'cell') {
      const may = peopleMay(role, at.field);
      if (may === 'hidden') return null;
      const { picture, ...cell } = at;
      const seen = picture === undefined || !seesField(design, role, picture) ? cell : at;
      return may === 'read' || leadsAway(design, role, at.field) ? { ...seen, people: 'read' } : seen;
    }
    if (at.part === 'button') return mayPress(design, role, at) ? at : null;
    if (at.part !== 'subform') return at;
    const found = findField(design, at.link);
    if (!found) return at;
    const rights = rightsOn(role, found.table.id);
    if (!rights.read) return null;
    return {
      ...at,
      rights: { ...limited(at.rights, rights), relink: at.rights.relink && rights.change },
      conditions: both(at.conditions, found.table.id),
      ...(at.sums ? { sums: at.sums.filter(({ field }) => peopleMay(role, field) !== 'hidden') } : {}),
    };
  };
  return {
    ...form,
    ...(form.list ? { list: listFor(design, role, form.list) } : {}),
    rights: limited(form.rights, own),
    conditions: both(form.conditions, form.table),
    ...(form.finds ? { finds: form.finds.filter((id) => peopleMay(role, id) !== 'hidden') } : {}),
    parts: mapParts(form.parts, part),
  };
}

/** Where what the columns of cards go by is hidden from her, or leads to rows that are not there for her, rows stand beneath one another. */
function listFor(design: Design, role: RoleDefinition, list: NonNullable<Form['list']>): Form['list'] {
  const { cards, ...rest } = list;
  if (cards === undefined) return list;
  return peopleMay(role, cards) === 'hidden' || leadsAway(design, role, cards) ? rest : list;
}

const limited = (rights: Form['rights'], by: TableRights): Form['rights'] => ({
  add: rights.add && by.add,
  change: rights.change && by.change,
  delete: rights.delete && by.delete,
});

/** Whether the values of a field are there for somebody with a role at all, on whatever screen. */
export function seesField(design: Design, role: RoleDefinition, field: string): boolean {
  const found = findField(design, field);
  return found !== undefined && peopleMay(role, field) !== 'hidden' && rightsOn(role, found.table.id).read;
}

/** Whether a lookup leads to rows that are not there for somebody with a role: she then chooses none. */
function leadsAway(design: Design, role: RoleDefinition, field: string): boolean {
  const type = findField(design, field)?.field.type;
  return type?.kind === 'lookup' && !rightsOn(role, type.table).read;
}

/** What keeps a role from being understood, said for people. */
function roleProblems(design: Design, role: RoleDefinition): string[] {
  const found: string[] = [];
  const twice = (ids: readonly string[]): boolean => new Set(ids).size < ids.length;
  if (role.screens.some((id) => ![...design.forms, ...design.boards].some((screen) => screen.id === id)))
    found.push('A screen of this role is no longer there.');
  if (role.fields.some(({ field }) => !findField(design, field)))
    found.push('A field on which this role has a limit is no longer there.');
  if (twice(role.tables.map(({ table }) => table)) || twice(role.fields.map(({ field }) => field)))
    found.push('This role says two things of one table or field.');
  for (const { table: id, own, conditions } of role.tables) {
    const table = design.tables.find((other) => other.id === id);
    if (!table) {
      found.push('A table on which this role has limits is no longer there.');
      continue;
    }
    if (own && !fieldOf(table, own))
      found.push(`The field with the name in ${table.label} is no longer there.`);
    for (const condition of conditions) {
      const bound = attempt(() => conditionIn(design, id, condition));
      if (!bound.ok)
        found.push(
          `Which ${table.plural.toLowerCase()} there are cannot be worked out: ${bound.error.message}`,
        );
    }
  }
  return [...new Set(found)];
}

function useInRole(role: RoleDefinition, gone: ReadonlySet<string>): Use | null {
  const all = [
    ...(uses(role.screens, gone) ? ['a screen of it'] : []),
    ...(role.tables.some(({ table }) => gone.has(table)) || uses(role.fields, gone) ? ['its limits'] : []),
    ...(role.tables.some(({ table, own, conditions }) => !gone.has(table) && uses([own, conditions], gone))
      ? ['which rows there are']
      : []),
  ];
  return all.length > 0
    ? { use: listOf(all), fate: 'it goes without; a table whose rows it chose by that is not there for it' }
    : null;
}

/**
 * A role without what is gone. Where rows were chosen by it nobody knows any more which they were: then the table is
 * not there for those who have the role, until the builder says it anew.
 */
function roleWithout(role: RoleDefinition, gone: ReadonlySet<string>): RoleDefinition {
  return {
    ...role,
    screens: role.screens.filter((id) => !gone.has(id)),
    fields: role.fields.filter(({ field }) => !gone.has(field)),
    tables: role.tables.flatMap((rights) => {
      if (gone.has(rights.table)) return [];
      if (!uses([rights.own, rights.conditions], gone)) return [rights];
      const conditions = rights.conditions.filter((condition) => !uses(condition, gone));
      return [
        { ...rights, read: false, own: rights.own && gone.has(rights.own) ? null : rights.own, conditions },
      ];
    }),
  };
}

export const roleSort: DocumentSort<RoleDefinition> = {
  problems: roleProblems,
  use: useInRole,
  without: roleWithout,
};
