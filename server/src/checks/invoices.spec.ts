import { DuckDBInstance } from '@duckdb/node-api';
import { random } from '../../../demo/src/random';
import { field, lookup, number, table } from '../../../core/src/design/testing/office';
import { catalogOf, type FieldType, type Form, type FormWorked } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import {
  formFromTable,
  levelOf,
  reckon,
  reckoningOf,
  type Level,
  type Standing,
} from '@heathridge/core/form';
import type { Value } from '@heathridge/core/values';
import { Office } from '../testing/office';

interface Line {
  readonly quantity: string;
  readonly price: string;
  readonly discount: string;
}
interface Invoice {
  readonly rate: string;
  readonly lines: readonly Line[];
}
interface Sums {
  readonly lines: readonly string[];
  readonly net: string;
  readonly tax: string;
  readonly gross: string;
}
interface Row {
  readonly key: [number];
  readonly cells: Readonly<Record<string, Value>>;
  readonly subforms: readonly { readonly rows: readonly Row[] }[];
}

const line = (quantity: string, price: string, discount: string): Line => ({ quantity, price, discount });

/**
 * Worked by hand. A line is quantity × price less its discount, rounded to pence; tax is on the sum of the lines,
 * rounded once. Halves go away from zero, as on invoices (common practice).
 */
const BY_HAND: readonly { readonly invoice: Invoice; readonly sums: Sums }[] = [
  {
    invoice: {
      rate: '12.5',
      lines: [
        // 3 × 19.99 = 59.97; × 0.875 = 52.47375
        line('3.00', '19.99', '12.5'),
        // 1.5 × 33.33 = 49.995, a half that goes up
        line('1.50', '33.33', '0.0'),
        // 5 × 0.05 = 0.25; × 0.9 = 0.225, a half that would go to the even neighbour elsewhere
        line('5.00', '0.05', '10.0'),
        // -1 × 10.05 = -10.05; × 0.5 = -5.025, a half below zero
        line('-1.00', '10.05', '50.0'),
      ],
    },
    // 52.47 + 50.00 + 0.23 - 5.03 = 97.67; × 0.125 = 12.20875
    sums: { lines: ['52.47', '50.00', '0.23', '-5.03'], net: '97.67', tax: '12.21', gross: '109.88' },
  },
  {
    // 0.10 × 0.05 = 0.005
    invoice: { rate: '5.0', lines: [line('1.00', '0.10', '0.0')] },
    sums: { lines: ['0.10'], net: '0.10', tax: '0.01', gross: '0.11' },
  },
  {
    // A credit note: the same below zero.
    invoice: { rate: '5.0', lines: [line('-1.00', '0.10', '0.0')] },
    sums: { lines: ['-0.10'], net: '-0.10', tax: '-0.01', gross: '-0.11' },
  },
];

describe('invoices with discount and tax', () => {
  let office: Office;
  let form: Form;
  beforeAll(async () => {
    office = await Office.open({ demo: false });
    const money: FieldType = { kind: 'money', places: 2 };
    const decimal = (places: number): FieldType => ({ kind: 'decimal', places });
    const invoice = table('invoice', [
      field('iNo', 'number', number),
      field('iRate', 'tax_rate', decimal(1)),
    ]);
    const lines = table('line', [
      field('lNo', 'number', number),
      field('lInvoice', 'invoice', lookup('invoice'), { alwaysFilled: true }),
      field('lQuantity', 'quantity', decimal(2)),
      field('lPrice', 'price', money),
      field('lDiscount', 'discount', decimal(1)),
      field('lTotal', 'total', {
        kind: 'workedOut',
        expression: 'ROUND("#f_lQuantity" * "#f_lPrice" * (100 - "#f_lDiscount") * 0.01, 2)',
        result: money,
      } as FieldType),
    ]);
    const made = await office.apply(
      { change: 'addTable', table: invoice },
      { change: 'addTable', table: lines },
    );
    expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
    const { design } = office;
    const worked = (id: string, expression: string): FormWorked => ({
      part: 'worked',
      id,
      label: id,
      width: 3,
      expression: toStored(expression, catalogOf(design), 't_invoice'),
      result: { kind: 'money', places: 2 },
    });
    const net = 'COALESCE(SUM(lines.total), 0)';
    const tax = `ROUND(${net} * tax_rate * 0.01, 2)`;
    const plain = formFromTable(
      design,
      design.tables.find(({ id }) => id === 't_invoice')!,
      'o_invoice',
    );
    form = {
      ...plain,
      parts: [
        ...plain.parts,
        worked('w_net', net),
        worked('w_tax', tax),
        worked('w_gross', `${net} + ${tax}`),
      ],
    };
    const put = await office.put(form);
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
  });
  afterAll(() => office.close());

  async function enter({ rate, lines }: Invoice): Promise<number> {
    const { status, body } = await office.call('POST', 'rows', {
      changes: [
        { op: 'insert', table: 't_invoice', temp: 'i', values: { f_iRate: rate } },
        ...lines.map(({ quantity, price, discount }) => ({
          op: 'insert',
          table: 't_line',
          values: {
            f_lInvoice: { temp: 'i' },
            f_lQuantity: quantity,
            f_lPrice: price,
            f_lDiscount: discount,
          },
        })),
      ],
    });
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    return body.saved.find((row: { table: string }) => row.table === 't_invoice').key[0] as number;
  }

  const read = async (key: number): Promise<Row> =>
    (await office.call('GET', `desk/screens/o_invoice/record?key=[${key}]`)).body.record as Row;

  /** What the file says, by its own arithmetic. */
  const bySql = ({ cells, subforms: [list] }: Row): Sums => ({
    lines: [...list!.rows].sort((a, b) => a.key[0] - b.key[0]).map((row) => row.cells['f_lTotal'] as string),
    net: cells['w_net'] as string,
    tax: cells['w_tax'] as string,
    gross: cells['w_gross'] as string,
  });

  /** What the page says at each key press, from what is typed alone. */
  function onPage({ rate, lines }: Invoice): Sums {
    const { design } = office;
    const root = levelOf(design, form)!;
    const reckoning = reckoningOf(design, root);
    const standing = (level: Level, values: Record<string, Value>, around: Standing | null): Standing => {
      const self: Standing = {
        level,
        around,
        value: (id) => values[id],
        beyond: () => undefined,
        rows: () => inner.map((row) => standing(level.levels[0]!, row, self)),
      };
      return self;
    };
    const inner = lines.map(({ quantity, price, discount }) => ({
      f_lQuantity: quantity,
      f_lPrice: price,
      f_lDiscount: discount,
    }));
    const record = standing(root, { f_iRate: rate }, null);
    const of = (level: Level, row: Standing, id: string): string =>
      reckon(reckoning.of(level).find((item) => item.id === id)!.bound, row, {
        today: '2026-11-28',
        now: '2026-11-28T09:00:00Z',
      })!.value as string;
    return {
      lines: record.rows(root.levels[0]!)!.map((row) => of(root.levels[0]!, row, 'f_lTotal')),
      net: of(root, record, 'w_net'),
      tax: of(root, record, 'w_tax'),
      gross: of(root, record, 'w_gross'),
    };
  }

  BY_HAND.forEach(({ invoice, sums }, i) => {
    it(`come to what is worked out by hand, in the file and at each key press (${i + 1})`, async () => {
      expect(onPage(invoice)).toEqual(sums);
      expect(bySql(await read(await enter(invoice)))).toEqual(sums);
    });
  });

  it('come to what DuckDB’s DECIMAL gives, 200 of them with any quantities, prices, discounts and rates', async () => {
    const next = random(11);
    const whole = (most: number): number => Math.floor(next() * most);
    const text = (most: number, places: number, sign = false): string =>
      `${sign && next() < 0.15 ? '-' : ''}${(whole(most * 10 ** places) / 10 ** places).toFixed(places)}`;
    const invoices = Array.from({ length: 200 }, (): Invoice => ({
      rate: text(30, 1),
      lines: Array.from({ length: 1 + whole(6) }, () => line(text(40, 2, true), text(500, 2), text(100, 1))),
    }));
    const connection = await (await DuckDBInstance.create(':memory:')).connect();
    const values = invoices.flatMap(({ rate, lines }, i) =>
      lines.map(
        ({ quantity, price, discount }, at) =>
          `(${i}, ${at}, ${rate}::DECIMAL(9,1), ${quantity}::DECIMAL(9,2), ${price}::DECIMAL(9,2), ${discount}::DECIMAL(9,1))`,
      ),
    );
    const lines = `SELECT i, n, rate, round(quantity * price * (100::DECIMAL(9,1) - discount) * 0.01::DECIMAL(9,2), 2)::DECIMAL(18,2) AS total FROM (VALUES ${values.join(', ')}) AS v(i, n, rate, quantity, price, discount)`;
    const sums = `SELECT i, list(total::VARCHAR ORDER BY n) AS lines, sum(total)::DECIMAL(18,2) AS net, round(sum(total)::DECIMAL(18,2) * any_value(rate) * 0.01::DECIMAL(9,2), 2)::DECIMAL(18,2) AS tax FROM (${lines}) GROUP BY i`;
    const found = (
      await connection.runAndReadAll(
        `SELECT lines, net::VARCHAR, tax::VARCHAR, (net + tax)::VARCHAR FROM (${sums}) ORDER BY i`,
      )
    ).getRowsJson() as unknown as [string[], string, string, string][];
    connection.closeSync();
    expect(found.length).toBe(200);
    for (const [i, [own, net, tax, gross]] of found.entries()) {
      const wanted = { lines: own, net, tax, gross };
      expect(onPage(invoices[i]!)).withContext(JSON.stringify(invoices[i])).toEqual(wanted);
      // The file is asked too, of every tenth: each is a save and a read.
      if (i % 10 === 0) expect(bySql(await read(await enter(invoices[i]!)))).toEqual(wanted);
    }
  });
});
