import { formFromTable } from '@heathridge/core/form';
import { so } from '@heathridge/core/query';
import type { Field, FieldType, Query, Report, Table } from '@heathridge/core/design';
import type { Change } from '@heathridge/core/change';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { Office } from '../testing/office';
import '../testing/timeouts';

type Kind = FieldType['kind'];

/** A field type of each kind, and a value of it, if people give one. */
const KINDS: Readonly<Record<Kind, readonly [type: FieldType, value: unknown]>> = {
  text: [{ kind: 'text' }, '12'],
  longText: [{ kind: 'longText' }, 'two\nlines'],
  wholeNumber: [{ kind: 'wholeNumber' }, 12],
  decimal: [{ kind: 'decimal', places: 2 }, '1000.50'],
  money: [{ kind: 'money', places: 2 }, '3.20'],
  tick: [{ kind: 'tick' }, true],
  date: [{ kind: 'date' }, '2026-01-31'],
  time: [{ kind: 'time' }, '10:30:00'],
  dateTime: [{ kind: 'dateTime' }, '2026-01-31T10:30:15Z'],
  choice: [{ kind: 'choice', choices: ['red', 'blue'] }, 'red'],
  lookup: [lookup('other') as FieldType, 1],
  runningNumber: [number, null],
  picture: [{ kind: 'picture' }, null],
  file: [{ kind: 'file' }, null],
  stamp: [{ kind: 'stamp', of: 'changedAt' }, null],
  workedOut: [{ kind: 'workedOut', expression: '1 + 1', result: { kind: 'wholeNumber' } } as FieldType, null],
};

/** A field, and everything that can look at it: a rule, an order, a display, a query, a form, a report. */
const FIELD = 'f_tField';
const own = `"#${FIELD}"`;

describe('a change of kind', () => {
  for (const [from, [type, value]] of Object.entries(KINDS))
    it(`from ${from} to any other can be drafted, checked and set aside`, async () => {
      const office = await Office.open({ demo: false });
      const isKey = from === 'runningNumber';
      const fields: Field[] = [
        ...(isKey ? [] : [field('tNo', 'number', number)]),
        field('tField', 'value', type),
        field('tWorked', 'worked', {
          kind: 'workedOut',
          expression: `${own} IS NULL`,
          result: { kind: 'tick' },
        } as FieldType),
      ];
      const thing: Table = {
        ...table('thing', fields),
        display: from === 'picture' || from === 'file' ? null : own,
        rules: [{ id: 'r_t', expression: `${own} IS NOT NULL OR ${own} IS NULL`, message: `Is {${own}}.` }],
      };
      const other = table('other', [
        field('oNo', 'number', number),
        field('oName', 'name', { kind: 'text' }),
      ]);
      const child = table('child', [
        field('cNo', 'number', number),
        field('cThing', 'thing', lookup('thing')),
      ]);
      const made = await office.apply(
        ...[other, thing, child].map((each): Change => ({ change: 'addTable', table: each })),
      );
      expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
      await office.save({ op: 'insert', table: 't_other', values: { f_oName: 'one' } });
      const row = await office.save({
        op: 'insert',
        table: 't_thing',
        values: value === null ? {} : { [FIELD]: value },
      });
      expect(row.status).withContext(JSON.stringify(row.body)).toBe(200);
      const query: Query = {
        type: 'query',
        id: 'q_t',
        label: 'Things',
        from: 't_thing',
        questions: [],
        joins: [],
        where: [so(`${own} IS NOT NULL`)],
        columns: [{ id: 'v', label: 'Value', expression: own }],
        group: null,
        keep: [],
        unlike: false,
        sort: [{ column: 'v', descending: false }],
        first: null,
      };
      const report: Report = {
        type: 'report',
        id: 'p_t',
        label: 'Things',
        source: { kind: 'table', id: 't_thing' },
        columns: [{ column: FIELD, label: 'Value', sum: false }],
        group: null,
        sort: null,
        paper: 'A4 tall',
      };
      const isShown = from !== 'picture' && from !== 'file';
      for (const document of [
        ...(isShown ? [query, report] : []),
        formFromTable(office.design, thing, 'o_t'),
      ]) {
        const put = await office.put(document);
        expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
      }
      const base = office.design.version;
      for (const [to, [wanted]] of Object.entries(KINDS)) {
        if (to === from) continue;
        const changes = [{ change: 'changeField', table: 't_thing', field: FIELD, set: { type: wanted } }];
        const kept = await office.call('PUT', 'draft', { base, changes });
        const checked = await office.call('POST', 'draft/check', { base, changes });
        for (const answer of [kept, checked]) {
          expect([200, 422])
            .withContext(`${to}: ${JSON.stringify(answer.body)}`)
            .toContain(answer.status);
          if (answer.status === 422)
            expect(answer.body.detail)
              .withContext(to)
              .not.toMatch(/Invalid|Expected|undefined/);
        }
        // What is drafted is seen again, also by who comes back, and can be set aside.
        const seen = await office.call('GET', 'design');
        expect(seen.status).withContext(to).toBe(200);
        expect((await office.call('PUT', 'draft', { base, changes: [] })).status)
          .withContext(to)
          .toBe(200);
      }
      await office.close();
    });
});
