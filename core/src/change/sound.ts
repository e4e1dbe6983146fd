import { attempt, sqlName } from '../expression';
import {
  catalogOf,
  fieldOf,
  linksFrom,
  listOf,
  rulesOf,
  storedFields,
  type Design,
  type Field,
  type Table,
} from '../design';
import { alike, brokenSql, brokenWords, fieldsToMend, orphaned, type RowCheck } from './check';
import { createTable, kindCheck } from './ddl';
import { orderParts, type OrderPart } from './order';
import { isText, textFaults } from './text-sql';
import { createTriggers } from './triggers';

/**
 * Everything the file promises of its rows, as questions to the rows themselves: a tool that switches
 * foreign keys, checks or triggers off while it writes is seen here, row by row. Rules that spare old rows
 * or ask for today are left out, since rows that were right once may break them.
 */
export function soundnessChecks(design: Design): RowCheck[] {
  const catalog = catalogOf(design);
  return design.tables.flatMap((table) => {
    const checks: RowCheck[] = [];
    const ask = (
      fields: readonly Field[],
      sort: RowCheck['sort'],
      message: string,
      where: string,
      rule?: string,
    ): void => {
      const from = `FROM ${sqlName(table.name)} AS t WHERE ${where}`;
      const key = table.key.map((id) => `t.${sqlName(fieldOf(table, id)!.name)}`).join(', ');
      const value = fields[0] ? `t.${sqlName(fields[0].name)}` : 'NULL';
      checks.push({
        table: table.id,
        field: fields.length === 1 ? fields[0]!.id : null,
        fields: fields.map(({ id }) => id),
        sort,
        rule,
        message,
        count: `SELECT count(*) ${from}`,
        sample: `SELECT json_array(${key}) || '', ${value} ${from} LIMIT ?1 OFFSET ?2`,
      });
    };
    for (const field of storedFields(table)) {
      const c = `t.${sqlName(field.name)}`;
      const { label } = field;
      if (isText(field))
        for (const { fault, message } of textFaults(c)) ask([field], 'text', message(label), fault);
      if (field.alwaysFilled || field.type.kind === 'tick' || table.key.includes(field.id))
        ask([field], 'empty', `${label} is always filled, and is empty there.`, `${c} IS NULL`);
      const kind = kindCheck(field, c);
      if (kind !== null)
        ask([field], 'kind', `${label} holds a value that its kind does not allow.`, `NOT (${kind})`);
      if (field.noTwoAlike)
        ask([field], 'alike', `${label} holds a value that another row has.`, alike(table, [field]));
    }
    for (const ids of table.noTwoAlike) {
      const fields = ids.map((id) => fieldOf(table, id)!);
      const labels = listOf(fields.map(({ label }) => label));
      ask(fields, 'alike', `Another row has the same ${labels}.`, alike(table, fields));
    }
    for (const link of linksFrom(design, table))
      ask(
        link.on.map(([own]) => own),
        'orphan',
        `${link.label} leads to no row of ${link.parent.plural}.`,
        orphaned(link),
      );
    for (const { rule, field } of rulesOf(table)) {
      if (rule.newRowsOnly) continue;
      const written = attempt(() => brokenSql(catalog, table, rule));
      // What cannot be worked out is told by the next draft, not by the rows.
      if (!written.ok || written.value.clock) continue;
      const { sql } = written.value;
      ask(fieldsToMend(table, rule, field), 'rule', brokenWords(table, rule, field), sql, rule.id);
    }
    return checks;
  });
}

/** What must stand in the file for its promises to hold from now on. */
export type SchemaPart =
  | { readonly kind: 'table' | 'trigger'; readonly table: Table; readonly sql: string }
  | ({ readonly kind: 'order'; readonly table: Table } & OrderPart);

/** The tables with their constraints, the triggers, and the order of texts that the definitions ask for. */
export const schemaParts = (design: Design): SchemaPart[] =>
  design.tables.flatMap((table) => {
    const written = attempt((): SchemaPart[] => [
      { kind: 'table', table, sql: createTable(design, table) },
      ...createTriggers(design, table).map((sql) => ({ kind: 'trigger' as const, table, sql })),
      ...orderParts(design, table).map((part) => ({ kind: 'order' as const, table, ...part })),
    ]);
    return written.ok ? written.value : [];
  });
