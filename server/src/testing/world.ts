import { readdirSync } from 'node:fs';
import {
  createIndexes,
  createOrders,
  createReadable,
  createTable,
  createTriggers,
  orderParts,
  evolve,
  type Change,
} from '@heathridge/core/change';
import {
  emptyDesign,
  idsOfTable,
  plainField,
  plainTable,
  storedFields,
  travelling,
  typeOf,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';
import { dependantsOf } from '@heathridge/core/documents';
import { sqlName } from '@heathridge/core/expression';
import { dice } from '@heathridge/demo';
import type { RowChange } from '@heathridge/core/rows';
import { apply, closeCopied } from '../change/apply';
import { UNWATCHED } from '../change/run';
import { undo, type Given } from '../change/undo';
import { saveRows } from '../rows/save';
import { loadDesign, saveDesign } from '../store/definitions';
import { stillClock } from './office';
import { APPLICATION_ID, migrate, openForWriting, ormOver, type Connection } from '../store/driver';

/** What the ids of fields begin with that hold marks, and codes. */
const MARK = 'mk_';
const CODE = 'cd_';

/** Rows by table and mark, with their values by field. */
export type State = ReadonlyMap<string, ReadonlyMap<string, ReadonlyMap<string, string | number | null>>>;

/** Open files beyond which those that are not used any more are given back. */
const MOST_OPEN = 2000;

const NUMBER: FieldType = { kind: 'runningNumber', prefix: '', width: 0, first: 1 };

/** One file that drafts are tried on, and what is drawn by chance for it. */
export class World {
  private readonly db: Connection;
  private readonly orm;
  readonly random;
  private names = 0;
  private copies = 0;

  private codes = 1000;

  constructor(
    private readonly path: string,
    private readonly folder: string,
    seed: number,
    /**
     * Whether each row has a mark, which is never changed and tells it from all others whatever becomes of its
     * key, and a code, which can be the key.
     */
    private readonly marked = false,
  ) {
    this.random = dice(seed + 1);
    this.db = openForWriting(path);
    this.db.exec(`PRAGMA application_id = ${APPLICATION_ID}; PRAGMA synchronous = OFF`);
    this.orm = ormOver(this.db);
    migrate(this.orm, 'file');
    saveDesign(this.orm, emptyDesign(), { at: '', by: '' });
    const a = this.table();
    const b = this.table();
    const changes: Change[] = [
      { change: 'addTable', table: a },
      { change: 'addTable', table: b },
      ...[a, b, a, b, a].map((table): Change => ({
        change: 'addField',
        table: table.id,
        field: this.field(this.kind()),
      })),
      {
        change: 'addField',
        table: b.id,
        field: this.field({ kind: 'lookup', table: a.id, shows: null, onDelete: 'leaveEmpty' }),
      },
    ];
    const made = this.apply(changes);
    if (!made.done) throw new Error(`The start cannot be applied: ${JSON.stringify(made)}`);
    this.fill(marked ? 8 : 30);
  }

  close(): void {
    this.db.close();
    closeCopied();
    // The driver gives back what it has opened when its memory is looked through.
    const open = readdirSync('/proc/self/fd').length;
    if (open > MOST_OPEN) (globalThis as { gc?: () => void }).gc?.();
  }

  draft(tally: { applied: number; stopped: number; kept: number }): void {
    const design = loadDesign(this.orm);
    const changes = this.changes(design);
    const before = this.dump();
    const result = this.apply(changes);
    const context = `${this.path} ${JSON.stringify(changes)} ${JSON.stringify(result)}`;
    if (!result.done) {
      tally.stopped++;
      expect('findings' in result && result.findings)
        .withContext(context)
        .toBeTruthy();
      expect(this.dump()).withContext(context).toEqual(before);
      return;
    }
    tally.applied++;
    this.isSound(context);
    // Every third is kept, so that later drafts meet designs with a history.
    if (this.random.whole(0, 2) === 0) {
      tally.kept++;
      this.fill(5);
      return;
    }
    const [{ version }] = this.db.prepare('SELECT max(version) AS version FROM hr_change').all() as [
      { version: number },
    ];
    const undone = undo(this.path, { given: [], version, ...this.order() }, UNWATCHED);
    expect(undone).withContext(context).toEqual({ done: true });
    expect(this.dump()).withContext(context).toEqual(before);
  }

  get design(): Design {
    return loadDesign(this.orm);
  }

  /** Undoes the draft that was applied last. */
  undo(given: readonly Given[] = []) {
    const [version] = this.db
      .prepare("SELECT max(version) FROM hr_change WHERE what = 'draft applied' AND undone_at IS NULL")
      .raw()
      .get() as [number];
    return undo(this.path, { given, version, ...this.order() }, UNWATCHED);
  }

  /** Every row of every table by its mark, with its values by field: of lookups, the mark of the row they lead to. */
  state(): State {
    const { design } = this;
    const tables = design.tables.map((table) => {
      const fields = storedFields(table);
      const rows = this.db
        .prepare(`SELECT ${fields.map(({ name }) => sqlName(name)).join(', ')} FROM ${sqlName(table.name)}`)
        .raw()
        .all() as (string | number | null)[][];
      return { table, fields, rows };
    });
    const marks = new Map<string, string>();
    for (const { table, fields, rows } of tables) {
      const [mark, key] = [MARK + table.id.slice(2), table.key[0]!].map((id) =>
        fields.findIndex((f) => f.id === id),
      );
      if (table.key.length === 1)
        for (const row of rows) marks.set(`${table.id} ${row[key!]}`, String(row[mark!]));
    }
    return new Map(
      tables.map(({ table, fields, rows }) => {
        const mark = fields.findIndex(({ id }) => id === MARK + table.id.slice(2));
        const shown = (row: (string | number | null)[]): Map<string, string | number | null> =>
          new Map(
            fields.map(({ id, type }, i) => {
              const value = row[i]!;
              if (type.kind !== 'lookup' || value === null) return [id, value];
              return [id, marks.get(`${type.table} ${value}`) ?? `no row has ${value}`];
            }),
          );
        return [table.id, new Map(rows.map((row) => [String(row[mark]), shown(row)]))];
      }),
    );
  }

  /** A draft by chance; null when it cannot be applied to these rows. */
  changed(): { readonly changes: readonly Change[]; readonly before: Design; readonly after: Design } | null {
    const before = this.design;
    const changes = this.changes(before);
    return this.apply(changes).done ? { changes, before, after: this.design } : null;
  }

  /** A save by chance, with all that belongs to one; false when it is refused. */
  save(): boolean {
    const { design } = this;
    const table = this.random.pick(design.tables);
    const writable = storedFields(table).filter(
      ({ id, type }) => type.kind !== 'runningNumber' && type.kind !== 'stamp' && !id.startsWith(MARK),
    );
    const values = (fields: readonly Field[]) =>
      Object.fromEntries(
        fields.map((field) => {
          const value = this.value(design, field);
          return [field.id, value === null ? null : travelling(field.type, value)] as const;
        }),
      );
    const keys = this.db
      .prepare(
        `SELECT ${table.key.map((id) => sqlName(table.fields.find((f) => f.id === id)!.name)).join(', ')} FROM ${sqlName(table.name)}`,
      )
      .raw()
      .all() as (string | number)[][];
    const sort = keys.length === 0 ? 9 : this.random.whole(0, 9);
    const key = sort < 8 ? this.random.pick(keys) : [];
    const change: RowChange =
      sort < 7
        ? {
            op: 'update',
            table: table.id,
            key,
            values: values([this.random.pick(writable), this.random.pick(writable)]),
            was: {},
          }
        : sort < 8
          ? { op: 'delete', table: table.id, key }
          : {
              op: 'insert',
              table: table.id,
              values: { ...values(writable), [MARK + table.id.slice(2)]: `m${++this.names}` },
            };
    return saveRows({ design, writer: this.db }, { changes: [change] }, { id: 'x', name: 'X' }, stillClock)
      .ok;
  }

  /** A value by chance as the file keeps it, for a field of a design. */
  given(design: Design, field: Field): string | number | boolean | null {
    // What rows a lookup may lead to in that design cannot be asked of the file as it is.
    if (field.type.kind === 'lookup') return null;
    const value = this.value(design, field);
    return value === null ? null : travelling(field.type, value);
  }

  private order() {
    const now = '2026-11-25T12:00:00Z';
    return {
      by: 'X',
      now,
      today: '2026-11-25',
      copies: this.folder,
      copy: `c${++this.copies}-${this.random.whole(0, 1e9)}.db`,
    };
  }

  private apply(changes: readonly Change[]) {
    const { version } = loadDesign(this.orm);
    return apply(this.path, { changes, base: version, ...this.order() }, UNWATCHED);
  }

  /** The engine's own checks, and the schema against one built from the definitions alone. */
  private isSound(context: string): void {
    expect(this.db.prepare('PRAGMA integrity_check').raw().all())
      .withContext(context)
      .toEqual([['ok']]);
    expect(this.db.prepare('PRAGMA foreign_key_check').raw().all()).withContext(context).toEqual([]);
    const design = loadDesign(this.orm);
    const scratch = openForWriting(':memory:');
    try {
      migrate(ormOver(scratch), 'file');
      for (const table of design.tables) scratch.exec(createTable(design, table));
      for (const table of design.tables) {
        for (const sql of [
          ...createIndexes(design, table),
          ...createOrders(design, table),
          ...createTriggers(design, table),
        ])
          scratch.exec(sql);
        for (const { probe } of orderParts(design, table))
          expect(this.db.prepare(probe).raw().get()).withContext(context).toBeUndefined();
        scratch.exec(createReadable(design, table));
      }
      expect(schemaOf(this.db)).withContext(context).toEqual(schemaOf(scratch));
    } finally {
      scratch.close();
    }
  }

  /** Everything the file holds, but for the logs of what was done to it. */
  private dump(): unknown {
    const tables = this.db
      .prepare(
        "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'hr!_%' ESCAPE '!' AND name NOT LIKE 'sqlite!_%' ESCAPE '!' ORDER BY 1",
      )
      .raw()
      .all() as [string][];
    return {
      schema: schemaOf(this.db),
      definitions: this.db
        .prepare('SELECT id, type, position, document FROM hr_definition ORDER BY position')
        .raw()
        .all(),
      sequences: this.db
        .prepare(
          "SELECT name, seq FROM sqlite_sequence WHERE name NOT LIKE 'hr!_%' ESCAPE '!' AND seq > 0 ORDER BY 1",
        )
        .raw()
        .all(),
      rows: tables.map(([name]) => [
        name,
        (
          this.db
            .prepare(`SELECT * FROM ${sqlName(name)}`)
            .raw()
            .all() as unknown[]
        )
          .map((row) => JSON.stringify(row))
          .sort(),
      ]),
    };
  }

  /** Rows by chance; those that a constraint refuses are left out. */
  private fill(many: number): void {
    const design = loadDesign(this.orm);
    for (const table of design.tables) {
      const fields = storedFields(table).filter(({ type }) => type.kind !== 'runningNumber');
      for (let i = 0; i < many; i++) {
        const values = fields.map((field) => this.value(design, field));
        const sql =
          fields.length === 0
            ? `INSERT INTO ${sqlName(table.name)} DEFAULT VALUES`
            : `INSERT OR IGNORE INTO ${sqlName(table.name)} (${fields.map(({ name }) => sqlName(name)).join(', ')}) VALUES (${fields.map(() => '?').join(', ')})`;
        try {
          this.db.prepare(sql).run(values);
        } catch (error) {
          if (!/constraint|rule:|link|cannot store/i.test((error as Error).message)) throw error;
        }
      }
    }
  }

  private value(design: Design, field: Field): string | number | null {
    if (field.id.startsWith(MARK)) return `m${++this.names}`;
    if (field.id.startsWith(CODE))
      return typeOf(design, field.type).type === 'number' ? ++this.codes : String(++this.codes);
    if (this.random.whole(0, 5) === 0 && !field.alwaysFilled && field.type.kind !== 'tick') return null;
    const { type } = field;
    switch (type.kind) {
      case 'tick':
        return this.random.whole(0, 1);
      case 'date':
        return `20${this.random.whole(10, 40)}-0${this.random.whole(1, 9)}-${this.random.whole(10, 28)}`;
      case 'time':
        return `1${this.random.whole(0, 9)}:${this.random.whole(10, 59)}:00`;
      case 'dateTime':
        return `2026-0${this.random.whole(1, 9)}-1${this.random.whole(0, 9)}T1${this.random.whole(0, 9)}:30:00Z`;
      case 'choice':
        return this.random.pick(type.choices);
      case 'lookup': {
        const target = design.tables.find(({ id }) => id === type.table)!;
        const key = target.fields.find(({ id }) => id === target.key[0])!;
        const keys = this.db
          .prepare(`SELECT ${sqlName(key.name)} FROM ${sqlName(target.name)}`)
          .raw()
          .all() as [number][];
        return keys.length > 0 ? this.random.pick(keys)[0] : null;
      }
      default:
        return typeOf(design, type).type === 'number'
          ? this.random.whole(0, 4000) - 500
          : fitting(
              type,
              this.random.pick([
                'a',
                'Bee, Cee',
                '12',
                '3.5',
                '2026-04-05',
                '4/5/2026',
                'yes',
                'no',
                '9:30',
                'é—x',
                `t${this.random.whole(0, 99)}`,
              ]),
            );
    }
  }

  private kind(): FieldType {
    return this.random.pick<FieldType>([
      { kind: 'text', most: null },
      { kind: 'text', most: this.random.whole(3, 30) },
      { kind: 'longText' },
      { kind: 'wholeNumber' },
      { kind: 'decimal', places: this.random.whole(0, 4) },
      { kind: 'money', places: 2 },
      { kind: 'tick' },
      { kind: 'date' },
      { kind: 'time' },
      { kind: 'dateTime' },
      { kind: 'choice', choices: ['a', 'b', 'yes', 'no'] },
      { kind: 'stamp', of: 'changedBy' },
    ]);
  }

  private field(type: FieldType, rest: Partial<Field> = {}): Field {
    const name = `n${++this.names}`;
    return plainField(`f_${name}`, name, name.toUpperCase(), type, rest);
  }

  private table(fields: Field[] = [this.field(NUMBER)], key = [fields[0]!.id]): Table {
    const name = `t${++this.names}`;
    const id = `t_${name}`;
    const text: FieldType = { kind: 'text', most: null };
    const always = { alwaysFilled: true, noTwoAlike: true };
    const marks = this.marked
      ? [
          plainField(MARK + name, 'mark', 'Mark', text, always),
          plainField(CODE + name, 'code', 'Code', text, always),
        ]
      : [];
    return plainTable(id, name, name.toUpperCase(), `${name.toUpperCase()}s`, [...fields, ...marks], key);
  }

  /** A few changes that fit the design they are made for, one after another. */
  private changes(design: Design): Change[] {
    const list: Change[] = [];
    let current = design;
    for (let i = this.random.whole(1, 4); i > 0; i--) {
      const made = this.change(current, design, list);
      if (!made) continue;
      list.push(...(Array.isArray(made) ? (made as readonly Change[]) : [made as Change]));
      current = evolve(design, list).design;
    }
    return list.length > 0 ? list : [{ change: 'addTable', table: this.table() }];
  }

  /** What is to become of what depends on fields that go. */
  private mendsOf(design: Design, ids: readonly string[]) {
    const without = {
      ...design,
      tables: design.tables.map((t) => ({ ...t, fields: t.fields.filter(({ id }) => !ids.includes(id)) })),
    };
    return dependantsOf(without, new Set(ids)).map(({ id }) => ({ dependant: id, put: null }));
  }

  /** Another key: the code, a new running number, or the code as another kind. */
  private otherKey(design: Design, table: Table, list: readonly Change[]): readonly Change[] {
    const { id } = table;
    if (JSON.stringify(list).includes(`"${id}"`)) return [];
    const code = table.fields.find((field) => field.id === CODE + id.slice(2))!;
    const mark = table.fields.find((field) => field.id === MARK + id.slice(2))!;
    const isLookedUp = design.tables.some(({ fields }) =>
      fields.some(({ type }) => type.kind === 'lookup' && type.table === id),
    );
    // A key of several fields, where no lookup leads there; those are dropped in the same draft now and then.
    if (table.key[0] === code.id && table.key.length === 1 && this.random.chance(0.3)) {
      const drops: Change[] = design.tables.flatMap(({ id: child, fields, key }) =>
        fields
          .filter(({ type }) => type.kind === 'lookup' && type.table === id)
          .map((field): Change | null =>
            key.includes(field.id)
              ? null
              : {
                  change: 'dropField',
                  table: child,
                  field: field.id,
                  mends: this.mendsOf(design, [field.id]),
                },
          )
          .filter((change) => change !== null),
      );
      const several: Change = { change: 'changeTable', table: id, set: { key: [code.id, mark.id] } };
      if (!isLookedUp) return [several];
      const all = design.tables.flatMap(({ fields }) =>
        fields.filter(({ type }) => type.kind === 'lookup' && type.table === id),
      );
      if (drops.length === all.length && !JSON.stringify(list).includes('dropField'))
        return [...drops, several];
    }
    const number = table.fields.find(({ type }) => type.kind === 'runningNumber');
    const byKey = (field: Field): Change => ({ change: 'changeTable', table: id, set: { key: [field.id] } });
    if (table.key[0] !== code.id) {
      if (!number) return [byKey(code)];
      const plain: Change = this.random.chance(0.5)
        ? { change: 'dropField', table: id, field: number.id }
        : {
            change: 'changeField',
            table: id,
            field: number.id,
            set: { type: { kind: 'wholeNumber' } },
            convert: {},
          };
      return plain.change === 'dropField' ? [byKey(code), plain] : [plain, byKey(code)];
    }
    if (this.random.chance(0.5)) {
      const whole = table.fields.find(({ type }) => type.kind === 'wholeNumber');
      if (whole && this.random.chance(0.5))
        return [
          {
            change: 'changeField',
            table: id,
            field: whole.id,
            set: { type: NUMBER, alwaysFilled: false, noTwoAlike: false },
            convert: {},
          },
          byKey(whole),
        ];
      const fresh = this.field(NUMBER);
      return [{ change: 'addField', table: id, field: fresh }, byKey(fresh)];
    }
    const type: FieldType =
      code.type.kind === 'text'
        ? this.random.pick<FieldType>([{ kind: 'wholeNumber' }, { kind: 'decimal', places: 2 }])
        : { kind: 'text', most: null };
    return [{ change: 'changeField', table: id, field: code.id, set: { type }, convert: {} }];
  }

  private change(design: Design, base: Design, list: readonly Change[]): Change | readonly Change[] | null {
    const table = this.random.pick(design.tables);
    const own = (id: string): boolean => id.startsWith(MARK) || id.startsWith(CODE);
    const others = table.fields.filter(({ id }) => !table.key.includes(id) && !own(id));
    if (this.marked && this.random.chance(0.3)) return this.otherKey(design, table, list);
    const field = others.length > 0 ? this.random.pick(others) : null;
    const ref = (id: string): string => `"#${id}"`;
    const touched = (id: string): boolean => JSON.stringify(list).includes(id);
    switch (this.random.whole(0, 12)) {
      case 0: {
        const links = [table, this.random.pick(design.tables)].map((target) =>
          this.field(
            { kind: 'lookup', table: target.id, shows: null, onDelete: 'deleteAlong' },
            { alwaysFilled: true },
          ),
        );
        if ([table, ...design.tables].some(({ key }) => key.length > 1)) return null;
        return {
          change: 'addTable',
          table: this.table(
            links,
            links.map(({ id }) => id),
          ),
        };
      }
      case 1:
        return { change: 'addField', table: table.id, field: this.field(this.kind()) };
      case 2: {
        if (!field || this.names % 2) return null;
        const without = {
          ...design,
          tables: design.tables.map((t) => ({ ...t, fields: t.fields.filter(({ id }) => id !== field.id) })),
        };
        const mends = dependantsOf(without, field.id).map(({ id }) => ({ dependant: id, put: null }));
        return { change: 'dropField', table: table.id, field: field.id, mends };
      }
      case 3: {
        if (design.tables.length < 4) return null;
        const without = { ...design, tables: design.tables.filter(({ id }) => id !== table.id) };
        const mends = dependantsOf(without, idsOfTable(table)).map(({ id }) => ({
          dependant: id,
          put: null,
        }));
        return { change: 'dropTable', table: table.id, mends };
      }
      case 4:
        return { change: 'changeTable', table: table.id, set: { name: `r${++this.names}` } };
      case 5:
        return (
          field && {
            change: 'changeField',
            table: table.id,
            field: field.id,
            set: { name: `r${++this.names}` },
          }
        );
      case 6:
      case 7: {
        if (!field || field.rule) return null;
        const target = this.random.pick(design.tables.filter(({ key }) => key.length === 1));
        const type: FieldType = this.random.chance(0.15)
          ? { kind: 'lookup', table: target.id, shows: null, onDelete: 'leaveEmpty' }
          : this.kind();
        const convert = this.random.whole(0, 3) > 0 ? { otherwise: 'empty' as const } : {};
        return { change: 'changeField', table: table.id, field: field.id, set: { type }, convert };
      }
      case 8: {
        const target = this.random.pick(design.tables);
        if (target.key.length > 1) return null;
        const lookup: FieldType = {
          kind: 'lookup',
          table: target.id,
          shows: null,
          onDelete: this.random.pick(['refuse', 'leaveEmpty']),
        };
        return { change: 'addField', table: table.id, field: this.field(lookup) };
      }
      case 9: {
        if (!field || field.type.kind === 'workedOut') return null;
        const rule = {
          id: `r_n${++this.names}`,
          expression: this.random.pick([
            `${ref(field.id)} IS NULL OR CHAR_LENGTH(CAST(${ref(field.id)} AS TEXT)) < ${this.random.whole(1, 40)}`,
            `${ref(field.id)} IS NULL OR CURRENT_DATE > DATE '2001-01-01'`,
          ]),
          message: `No {${ref(field.id)}} here.`,
          newRowsOnly: this.random.whole(0, 1) === 1,
        };
        return { change: 'changeTable', table: table.id, set: { rules: [...table.rules, rule] } };
      }
      case 10: {
        if (!field) return null;
        const other = this.random.pick(table.fields);
        const compared = [field, other].every(
          ({ type }) => !['workedOut', 'picture', 'file'].includes(type.kind),
        );
        if (compared && other !== field && this.random.chance(0.3))
          return {
            change: 'changeTable',
            table: table.id,
            set: { noTwoAlike: [[field.id, other.id]] },
          };
        const set = this.random.pick<Partial<Field>>([
          { alwaysFilled: true },
          { alwaysFilled: false },
          { noTwoAlike: true },
          { noTwoAlike: false },
          { indexed: true },
        ]);
        return { change: 'changeField', table: table.id, field: field.id, set };
      }
      case 11: {
        const expression = this.random.pick([
          `COALESCE(CAST(${ref(table.key[0]!)} AS TEXT), '') || '!'`,
          `CHAR_LENGTH(CAST(${ref(table.key[0]!)} AS TEXT))`,
        ]);
        const result: FieldType = expression.startsWith('CHAR')
          ? { kind: 'wholeNumber' }
          : { kind: 'text', most: null };
        return {
          change: 'addField',
          table: table.id,
          field: this.field({ kind: 'workedOut', expression, result }),
        };
      }
      default: {
        const texts = others.filter(
          ({ id, type }) =>
            (type.kind === 'text' || type.kind === 'longText') &&
            !touched(id) &&
            JSON.stringify(base).includes(`"${id}"`),
        );
        if (texts.length < 2 || this.names % 3) return null;
        const [a, b] = texts as [Field, Field];
        const without = (ids: readonly string[]): Design => ({
          ...design,
          tables: design.tables.map((t) => ({
            ...t,
            fields: t.fields.filter(({ id }) => !ids.includes(id)),
          })),
        });
        const mends = (ids: readonly string[]) =>
          dependantsOf(without(ids), new Set(ids)).map(({ id }) => ({ dependant: id, put: null }));
        const text: FieldType = { kind: 'text', most: null };
        return this.random.whole(0, 1) === 0
          ? {
              change: 'splitField',
              table: table.id,
              field: a.id,
              separator: ',',
              into: [this.field(text), this.field(text)],
              mends: mends([a.id]),
            }
          : {
              change: 'mergeFields',
              table: table.id,
              fields: [a.id, b.id],
              separator: ' ',
              into: this.field({ kind: 'longText' }),
              mends: mends([a.id, b.id]),
            };
      }
    }
  }
}

/** A text that is no longer than a field takes. */
const fitting = (type: FieldType, text: string): string =>
  type.kind === 'text' && type.most != null ? text.slice(0, type.most) : text;

const schemaOf = (db: Connection): unknown =>
  db
    .prepare(
      "SELECT type, name, tbl_name, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite!_%' ESCAPE '!' AND name NOT LIKE 'hr!_%' ESCAPE '!' ORDER BY type, name",
    )
    .raw()
    .all();
