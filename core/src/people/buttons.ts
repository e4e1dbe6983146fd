import {
  findField,
  idsUsed,
  type Design,
  type FormButton,
  type Query,
  type RoleDefinition,
  type Table,
} from '../design';
import { peopleMay, rightsOn } from './limits';

/**
 * Whether a button is there for somebody with a role: it does nothing that she could not, by whatever screen, and tells
 * her of nothing that is kept from her.
 */
export function mayPress(design: Design, role: RoleDefinition, { does }: FormButton): boolean {
  if (does.act === 'open') {
    const screen = design.forms.find(({ id }) => id === does.screen);
    return screen !== undefined && role.screens.includes(screen.id) && rightsOn(role, screen.table).read;
  }
  if (does.act === 'change') {
    if (!tellsNothingKept(design, role, idsUsed([does.conditions, does.sets]))) return false;
    return does.sets.every(({ field }) => {
      const table = findField(design, field)?.table;
      return table !== undefined && rightsOn(role, table.id).change && peopleMay(role, field) === 'type';
    });
  }
  if (does.report === null) return true;
  const report = design.reports.find(({ id }) => id === does.report);
  const query = design.queries.find(({ id }) => id === report?.source.id);
  if (!report) return false;
  return mayRead(design, role, query ?? null, report.source.id, report);
}

/** Whether a query tells somebody with a role of nothing that is kept from her. */
export const mayAsk = (design: Design, role: RoleDefinition, query: Query): boolean =>
  mayRead(design, role, query, query.from, query) &&
  (!design.tables.some(({ id }) => id === query.from) || rightsOn(role, query.from).read);

/** The same of the rows of a query, or of a table (`source`), and of what is told of them. */
function mayRead(
  design: Design,
  role: RoleDefinition,
  query: Query | null,
  source: string,
  told: unknown,
): boolean {
  const queries = query ? readBy(design, query) : [];
  // What SQL reads cannot be told.
  if (queries.some(({ written }) => written)) return false;
  const ids = idsUsed([told, queries]);
  const from = query?.from ?? source;
  // Of the rows it begins with those are left out that are not hers; of others it could not be told, and not of these
  // where they are come to another time.
  const isLimited = ({ id }: Table): boolean => {
    const { own, conditions } = rightsOn(role, id);
    return (id !== from || comesBack(design, queries, id)) && (Boolean(own) || conditions.length > 0);
  };
  return tellsNothingKept(design, role, ids) && !tablesTold(design, ids).some(isLimited);
}

/** A query and all that it reads, however many stand between. */
function readBy(design: Design, query: Query): Query[] {
  const all = [query];
  for (const { from, joins } of all) {
    const ids = [from, ...joins.flatMap(({ by }) => ('from' in by ? [by.from] : []))];
    all.push(...design.queries.filter((other) => ids.includes(other.id) && !all.includes(other)));
  }
  return all;
}

/** Whether queries come to the rows of a table by something else than beginning with them. */
function comesBack(design: Design, queries: readonly Query[], table: string): boolean {
  const links = design.tables.flatMap(({ id, fields, links: several }) => [
    ...fields.flatMap((field) =>
      field.type.kind === 'lookup' ? [{ id: field.id, of: id, to: field.type.table }] : [],
    ),
    ...several.map((link) => ({ id: link.id, of: id, to: link.table })),
  ]);
  const used = idsUsed(queries);
  const text = JSON.stringify(queries);
  return (
    queries.some(({ joins }) =>
      joins.some(({ by }) =>
        'from' in by
          ? by.from === table
          : by.by === 'children' && links.some(({ id, of }) => id === by.link && of === table),
      ),
    ) ||
    links.some(
      ({ id, of, to }) => (to === table && used.has(id)) || (of === table && text.includes(`#~${id}`)),
    )
  );
}

/** The tables of which these ids tell: theirs, and those to which a lookup among them leads. */
function tablesTold(design: Design, ids: ReadonlySet<string>): Table[] {
  const owners = design.tables.filter(
    ({ id, fields, links }) => ids.has(id) || [...fields, ...links].some((item) => ids.has(item.id)),
  );
  const led = owners.flatMap(({ fields }) =>
    fields.flatMap(({ id, type }) => (ids.has(id) && type.kind === 'lookup' ? [type.table] : [])),
  );
  return design.tables.filter((table) => owners.includes(table) || led.includes(table.id));
}

/** Whether none of these ids is one of a field or table that is kept from a role, through what is worked out too. */
export function tellsNothingKept(design: Design, role: RoleDefinition, ids: ReadonlySet<string>): boolean {
  const all = new Set(ids);
  for (const id of all) {
    const type = findField(design, id)?.field.type;
    if (type?.kind === 'workedOut') idsUsed(type.expression).forEach((inner) => all.add(inner));
  }
  return (
    [...all].every((id) => peopleMay(role, id) !== 'hidden') &&
    tablesTold(design, all).every(({ id }) => rightsOn(role, id).read)
  );
}
