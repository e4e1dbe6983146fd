import { KEY_KINDS, type Field, type FieldType } from '@heathridge/core/design';
import type { Change } from '@heathridge/core/change';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

type Kind = FieldType['kind'];
type Plain = string | number;

/** For every kind that may tell rows apart: a type, three values of it, and how the file keeps them. */
const KEYS: Partial<
  Record<Kind, { type: FieldType; values: [Plain, Plain, Plain]; kept: [Plain, Plain, Plain] }>
> = {
  text: { type: { kind: 'text' }, values: ['a b', "it's", '日本/%?'], kept: ['a b', "it's", '日本/%?'] },
  wholeNumber: { type: { kind: 'wholeNumber' }, values: [7, -3, 0], kept: [7, -3, 0] },
  decimal: { type: { kind: 'decimal', places: 2 }, values: ['1.50', '-0.01', '0.00'], kept: [150, -1, 0] },
  money: { type: { kind: 'money', places: 2 }, values: ['1.50', '20.00', '0.05'], kept: [150, 2000, 5] },
  date: {
    type: { kind: 'date' },
    values: ['2026-01-31', '0001-01-01', '9999-12-31'],
    kept: ['2026-01-31', '0001-01-01', '9999-12-31'],
  },
  time: {
    type: { kind: 'time' },
    values: ['10:30:00', '00:00:00', '23:59:59'],
    kept: ['10:30:00', '00:00:00', '23:59:59'],
  },
  dateTime: {
    type: { kind: 'dateTime' },
    values: ['2026-01-31T10:30:00Z', '2026-02-01T00:00:00Z', '1999-12-31T23:59:59Z'],
    kept: ['2026-01-31T10:30:00Z', '2026-02-01T00:00:00Z', '1999-12-31T23:59:59Z'],
  },
  choice: {
    type: { kind: 'choice', choices: ['red', 'green', 'blue'] },
    values: ['red', 'green', 'blue'],
    kept: ['red', 'green', 'blue'],
  },
};

describe('a key', () => {
  it('is tried of every kind that may be one', () => {
    // A running number is given by the file, and a lookup holds the key of another table.
    expect(Object.keys(KEYS).sort()).toEqual(
      [...KEY_KINDS].filter((kind) => kind !== 'lookup' && kind !== 'runningNumber').sort(),
    );
  });

  for (const [kind, { type, values, kept }] of Object.entries(KEYS))
    for (const composite of [false, true])
      it(`of the kind ${kind}${composite ? ', together with a text,' : ''} works on every road`, async () => {
        const office = await Office.open({ demo: false });
        const ok = (answer: Answer): Answer['body'] => {
          expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
          return answer.body;
        };
        const fields: Field[] = [
          field('kKey', 'code', type),
          field('kNote', 'note', { kind: 'text' }),
          ...(composite ? [field('kPart', 'part', { kind: 'text' })] : []),
        ];
        const thing = { ...table('thing', fields), key: composite ? ['f_kKey', 'f_kPart'] : ['f_kKey'] };
        const item = table('item', [
          field('iNo', 'number', number),
          field('iThing', 'thing', lookup('thing'), {}),
        ]);
        const tables = composite ? [thing] : [thing, item];
        ok(await office.apply(...tables.map((each): Change => ({ change: 'addTable', table: each }))));
        const key = (n: number): Plain[] => [kept[n]!, ...(composite ? ['p'] : [])];
        const given = (n: number): object => ({ f_kKey: values[n], ...(composite ? { f_kPart: 'p' } : {}) });
        const window = async (name = 't_thing'): Promise<unknown[][]> =>
          ok(await office.call('POST', `tables/${name}/window`, { start: 0, limit: 10 })).rows as unknown[][];

        // Added: the answer names the row as every list does.
        const saved = ok(
          await office.save({ op: 'insert', table: 't_thing', values: { ...given(0), f_kNote: 'one' } }),
        );
        expect(saved.saved[0].key).toEqual(key(0));
        expect((await window()).length).toBe(1);

        // Changed by that key.
        ok(
          await office.save({
            op: 'update',
            table: 't_thing',
            key: key(0),
            values: { f_kNote: 'two' },
            was: { f_kNote: 'one' },
          }),
        );

        if (!composite) {
          // Looked up, and led to.
          const choices = ok(await office.call('POST', 'lookups/f_iThing', { search: '' })).choices as [
            Plain,
          ][];
          expect(choices.map(([each]) => each)).toEqual([kept[0]]);
          ok(await office.save({ op: 'insert', table: 't_item', values: { f_iThing: kept[0] } }));
          // A row that is added together with the one it leads to.
          ok(
            await office.save(
              { op: 'insert', table: 't_thing', temp: 'new', values: given(1) },
              { op: 'insert', table: 't_item', values: { f_iThing: { temp: 'new' } } },
            ),
          );
          expect((await window('t_item')).length).toBe(2);
        }

        // Another key: what leads to it goes along.
        const renamed = ok(
          await office.save({
            op: 'update',
            table: 't_thing',
            key: key(0),
            values: { f_kKey: values[2] },
            was: { f_kKey: values[0] },
          }),
        );
        expect(renamed.saved[0].key).toEqual(key(2));
        const { reader } = office.app.context.files.get(office.file);
        const read = (sql: string): unknown[] => (reader.prepare(sql).raw().all() as unknown[][]).flat();
        if (!composite)
          // History knows that the row that leads to it went along.
          expect(
            read(
              "SELECT json_extract(after, '$.f_iThing') FROM hr_history WHERE table_id = 't_item' AND op = 'update'",
            ),
          ).toEqual([kept[2]]);
        if (!composite) expect(read('SELECT thing FROM item ORDER BY number')).toEqual([kept[2], kept[1]]);
        if (!composite)
          ok(
            await office.save({
              op: 'update',
              table: 't_item',
              key: [1],
              values: { f_iThing: null },
              was: {},
            }),
          );

        // Deleted; history knows it by its key all along.
        ok(await office.save({ op: 'delete', table: 't_thing', key: key(2) }));
        expect(read("SELECT key FROM hr_history WHERE table_id = 't_thing' AND op = 'delete'")).toEqual([
          JSON.stringify(key(2)),
        ]);

        // A change of the design that is undone finds its rows.
        const last = composite ? [] : [key(1)];
        const base = office.design.version;
        ok(await office.apply({ change: 'dropField', table: 't_thing', field: 'f_kNote' } as Change));
        ok(await office.call('POST', `changes/${base + 1}/undo`, {}));
        expect(read(`SELECT code FROM thing`)).toEqual(last.map(([each]) => each));
        await office.close();
      });
});
