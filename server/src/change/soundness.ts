import { schemaParts, soundnessChecks } from '@heathridge/core/change';
import { rulesOf, tableOf, type Design, type Table } from '@heathridge/core/design';
import type { Connection } from '../store/driver';
import { sampleOf, type Finding, type FoundRow, type Tell } from './run';

/** What became of the promises a file makes. */
export interface Soundness {
  /** Rows that are not as the file promises, found by questions to the rows themselves. */
  readonly findings: readonly Finding[];
  /** What is missing in the file's schema, for people: from now on something could get in. */
  readonly missing: readonly string[];
  /** What the engine says of the file's own structure; empty when it is whole. */
  readonly damage: readonly string[];
}

/** Rows of a finding that are shown at first. */
const SAMPLE = 20;

/**
 * Asks a file whether it is sound: its pages, its schema, every row. A tool that switches foreign keys,
 * checks or triggers off while it writes can leave rows that nothing else would find.
 */
export function askSoundness(db: Connection, design: Design, tell: Tell): Soundness {
  const checks = soundnessChecks(design);
  const of = checks.length + 1;
  tell({ step: 0, of, what: 'Reading the file as it lies on disk' });
  const pages = db.prepare('PRAGMA quick_check(20)').raw().all() as [string][];
  const findings: Finding[] = [];
  checks.forEach(({ count, sample, ...check }, number) => {
    tell({ step: number + 1, of, what: `Asking the rows of ${tableOf(design, check.table).plural}` });
    const [many] = db.prepare(count).raw().get() as [number];
    if (many > 0) findings.push({ ...check, number, count: many, sample: sampleOf(db, sample, SAMPLE, 0) });
  });
  return {
    findings,
    missing: missingParts(db, design),
    damage: pages.map(([text]) => text).filter((text) => text !== 'ok'),
  };
}

/** A page of the rows of one finding, and whose rows they are. */
export function unsoundRows(
  db: Connection,
  design: Design,
  number: number,
  offset: number,
  limit: number,
): { readonly table: string; readonly rows: readonly FoundRow[] } {
  const check = soundnessChecks(design)[number];
  return check
    ? { table: check.table, rows: sampleOf(db, check.sample, limit, offset) }
    : { table: '', rows: [] };
}

/** Constraints and triggers that the definitions ask for and the file does not have. */
function missingParts(db: Connection, design: Design): string[] {
  const rows = db.prepare('SELECT name, sql FROM sqlite_schema WHERE sql IS NOT NULL').raw().all() as [
    string,
    string,
  ][];
  const there = new Map(rows);
  const missing = schemaParts(design).flatMap((part) => {
    const { table } = part;
    switch (part.kind) {
      case 'trigger': {
        const name = /^CREATE TRIGGER "((?:[^"]|"")*)"/.exec(part.sql)![1]!.replace(/""/g, '"');
        // Its text may be that of another version of the time zone database.
        return there.has(name) ? [] : [`Nothing in the file holds ${heldBy(name, table)} any more.`];
      }
      case 'order': {
        const { field, name, probe } = part;
        if (there.has(name) && db.prepare(probe).raw().get() === undefined) return [];
        return [`${field.label} of ${table.plural} is not in the right order any more.`];
      }
      case 'table': {
        const own = there.get(table.name);
        if (own === undefined) return [`The table of ${table.label} is missing.`];
        const constraints = [...part.sql.matchAll(/CONSTRAINT "(?:[^"]|"")*"/g)].map(([text]) => text);
        return constraints
          .filter((text) => !own.includes(text))
          .map((text) => `The table of ${table.label} has lost its ${text}.`);
      }
    }
  });
  return [...new Set(missing)];
}

/** What a trigger holds, for people. */
function heldBy(name: string, table: Table): string {
  const id = / rule (r_\w+) /.exec(name)?.[1];
  const rule = rulesOf(table).find(({ rule }) => rule.id === id)?.rule;
  if (rule) return `the rule “${rule.message.replace(/\{[^}]*\}/g, '…')}” of ${table.label}`;
  return `${name.startsWith(`${table.name} order `) ? 'the order of texts' : 'what texts may be'} of ${table.label}`;
}
