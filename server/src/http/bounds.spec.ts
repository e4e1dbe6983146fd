import * as v from 'valibot';
import { Definition } from '@heathridge/core/design';
import { newQuery } from '@heathridge/core/query';
import { BRITISH, MOST_TEXT, readValue } from '@heathridge/core/values';
import { Office } from '../testing/office';

/** A schema of Valibot, as far as it is walked through here. */
interface Schema {
  readonly type: string;
  readonly kind: string;
  readonly pipe?: readonly Schema[];
  readonly entries?: Readonly<Record<string, Schema>>;
  readonly item?: Schema;
  readonly items?: readonly Schema[];
  readonly options?: readonly unknown[];
  readonly wrapped?: Schema;
  readonly key?: Schema;
  readonly value?: Schema;
  readonly getter?: () => Schema;
}

/** What bounds a text, a list or a record. */
const BOUNDS: Readonly<Record<string, readonly string[]>> = {
  string: ['max_length', 'length', 'regex'],
  array: ['max_length', 'length'],
  record: ['max_entries', 'entries'],
};

/** The steps of a schema: those of what it is made of first. */
const stepsOf = ({ pipe = [] }: Schema): readonly Schema[] =>
  pipe.flatMap((step, i) => (i === 0 ? [step, ...stepsOf(step)] : [step]));

/** The places in a schema at which a text, a list or a record may have any length, or a number that counts any size. */
function unbounded(schema: Schema, at: string, seen = new Set<Schema>()): string[] {
  if (seen.has(schema)) return [];
  seen.add(schema);
  const steps = stepsOf(schema).map((step) => step.type);
  // A place or a count of 1e308 is whole, too, and the engine takes it for none. Values are checked by their kinds.
  const bounds = schema.type === 'number' && steps.includes('integer') ? ['max_value'] : BOUNDS[schema.type];
  const isBound = bounds === undefined || steps.some((step) => bounds.includes(step));
  const { entries = {}, item, items = [], options = [], wrapped, key, value, getter, type } = schema;
  const inner: (readonly [Schema, string])[] = [
    ...Object.entries(entries).map(([name, entry]) => [entry, `${at}.${name}`] as const),
    ...[item, ...items].flatMap((one) => (one ? [[one, `${at}[]`] as const] : [])),
    ...options.flatMap((one) => (typeof one === 'object' ? [[one as Schema, at] as const] : [])),
    ...(wrapped ? [[wrapped, at] as const] : []),
    ...(type === 'record' ? [[key!, `${at}{key}`] as const, [value!, `${at}{}`] as const] : []),
    ...(getter ? [[getter(), at] as const] : []),
  ];
  return [
    ...(isBound ? [] : [`${at}: ${type}`]),
    ...inner.flatMap(([one, place]) => unbounded(one, place, seen)),
  ];
}

describe('what a request may hold', () => {
  it('has an end at every place, on every road', async () => {
    const office = await Office.open({ demo: false });
    const roads = office.app.routes.flatMap(({ method, url, body, query }) =>
      [body, query].flatMap((schema) =>
        schema ? [[`${method} ${url}`, schema as unknown as Schema] as const] : [],
      ),
    );
    expect(roads.length).toBeGreaterThan(60);
    expect(roads.flatMap(([name, schema]) => unbounded(schema, name))).toEqual([]);
    await office.close();
  });

  it('has one in every document that is kept too', () => {
    expect(unbounded(Definition as unknown as Schema, 'definition')).toEqual([]);
  });

  it('is told in words where conditions stand in one another, and texts are long', () => {
    const so = { is: 'so', expression: '1 = 1' };
    const some = { is: 'any', of: Array.from({ length: 99 }, () => so) };
    const query = (where: object[]): object => ({ ...newQuery('q_x', 'X', { id: 't_x' }), where });
    expect(v.is(Definition, query([some, some, some]))).toBeTrue();
    const many = v.safeParse(Definition, query([some, some, some, some, some, some]));
    expect(many.issues?.[0].message).toBe('A query has at most 500 conditions in all.');
    const long = readValue({ kind: 'longText' }, 'a'.repeat(MOST_TEXT + 1), {
      locale: BRITISH,
      today: '2026-01-01',
    });
    expect(long).toEqual({
      ok: false,
      message:
        'This text has 1,048,577 characters; at most 1,048,576 fit into one field. Keep it as an attached file.',
    });
    const fits = readValue({ kind: 'longText' }, 'a'.repeat(MOST_TEXT), {
      locale: BRITISH,
      today: '2026-01-01',
    });
    expect(fits.ok).toBeTrue();
  });

  it('is found wanting where something has none', () => {
    const loose = v.object({
      name: v.optional(v.pipe(v.string(), v.trim())),
      list: v.pipe(v.array(v.pipe(v.string(), v.maxLength(5))), v.minLength(1)),
      all: v.record(v.pipe(v.string(), v.maxLength(5)), v.union([v.null(), v.lazy(() => v.string())])),
      right: v.pipe(v.pipe(v.string(), v.maxLength(5)), v.minLength(1)),
    });
    expect(unbounded(loose as unknown as Schema, 'x')).toEqual([
      'x.name: string',
      'x.list: array',
      'x.all: record',
      'x.all{}: string',
    ]);
  });
});
