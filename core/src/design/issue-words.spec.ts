import * as v from 'valibot';
import fc from 'fast-check';
import { Change } from '../change';
import { Definition, Field, Table } from './schema';

/** The words for the first thing that is wrong. */
const words = (schema: v.GenericSchema, value: unknown): string => {
  const read = v.safeParse(schema, value);
  return read.success ? '' : read.issues[0].message;
};
const JARGON = /Invalid|Expected|received|undefined|NaN|[<>]=/;

describe('what is said of a value that does not fit', () => {
  const cases: [what: string, schema: v.GenericSchema, value: unknown, said: string][] = [
    ['a number for a text', v.string(), 5, 'A text is expected here.'],
    ['nothing for a member', v.object({ a: v.string() }), {}, 'This is missing.'],
    ['a member nobody knows', v.strictObject({}), { colour: 1 }, 'This is not known here.'],
    ['too many', v.pipe(v.array(v.string()), v.maxLength(1)), ['a', 'b'], 'At most 1 entry may stand here.'],
    ['too few', v.pipe(v.array(v.string()), v.minLength(1)), [], 'At least 1 entry is needed here.'],
    ['fewer yet', v.pipe(v.array(v.string()), v.minLength(2)), [], 'At least 2 entries are needed here.'],
    ['nothing in it', v.pipe(v.string(), v.nonEmpty()), '', 'At least 1 character is needed here.'],
    ['too long', v.pipe(v.string(), v.maxLength(2)), 'abc', 'At most 2 characters may stand here.'],
    ['too much', v.pipe(v.number(), v.maxValue(6)), 9, 'At most 6 is expected here.'],
    ['too little', v.pipe(v.number(), v.minValue(1)), 0, 'At least 1 is expected here.'],
    ['a fraction', v.pipe(v.number(), v.integer()), 1.5, 'A whole number is expected here.'],
    ['another word', v.picklist(['a', 'b']), 'c', 'One of these is expected here: a, b.'],
    ['no date', v.pipe(v.string(), v.isoDate()), 'x', 'This is not of a kind that may stand here.'],
    [
      'words of the schema’s own',
      v.pipe(v.string(), v.minLength(1, 'A name is needed.')),
      '',
      'A name is needed.',
    ],
  ];
  for (const [what, schema, value, said] of cases)
    it(`names ${what} in plain words`, () => expect(words(schema, value)).toBe(said));

  it('is never the validator’s own jargon, whatever it is', () => {
    let told = 0;
    for (const schema of [Definition, Field, Table, Change] as v.GenericSchema[])
      fc.assert(
        fc.property(
          fc.oneof(
            fc.anything(),
            fc.record(
              {
                type: fc.constantFrom('table', 'query', 'form', 'nothing', 5),
                id: fc.oneof(fc.string(), fc.constant('t_x')),
                name: fc.anything(),
                label: fc.anything(),
                fields: fc.array(fc.anything()),
                change: fc.constantFrom('addTable', 'changeField', 'x'),
                table: fc.anything(),
              },
              { requiredKeys: [] },
            ),
          ),
          (value) => {
            const said = words(schema, value);
            if (said !== '') told++;
            expect(said).not.toMatch(JARGON);
          },
        ),
        { numRuns: 300, seed: 20261130 },
      );
    expect(told).toBeGreaterThan(500);
  });
});
