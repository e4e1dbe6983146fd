import fc from 'fast-check';
import { joinedFields, joinFields, pathsFrom } from './paths';
import { OFFICE } from './testing/office';

describe('fields joined into one text', () => {
  it('are read where one text stands between all of them', () => {
    expect(joinedFields('name')).toEqual({ fields: ['name'], between: ', ' });
    expect(joinedFields(`surname || ', ' || borrower.first_name`)).toEqual({
      fields: ['surname', 'borrower.first_name'],
      between: ', ',
    });
    expect(joinedFields(`a || "date" || c`)).toEqual({ fields: ['a', '"date"', 'c'], between: '' });
  });

  it('are nothing else', () => {
    for (const text of [
      '',
      `'x' || a`,
      `a || ', '`,
      `a || ', ' || b || ' ' || c`,
      'a || b || 1',
      'a +',
      `a || 'x' || 'y' || b`,
      '"#f_a"',
    ])
      expect(joinedFields(text)).withContext(text).toBeNull();
  });

  it('are written as they are read, whatever stands between', () => {
    const field = fc.constantFrom('name', 'borrower.name', '"date"', '"two words"', 'größe');
    const joined = fc.record({
      fields: fc.array(field, { minLength: 2, maxLength: 5 }),
      between: fc.string({ maxLength: 6 }).filter((text) => !text.includes('\0')),
    });
    fc.assert(
      fc.property(joined, (given) => expect(joinedFields(joinFields(given))).toEqual(given)),
      { seed: 20261130 },
    );
  });

  it('come from the table itself and along its lookups', () => {
    const texts = pathsFrom(OFFICE, OFFICE.tables[2]!).map(({ text }) => text);
    expect(texts).toContain('loan.borrower.name');
    for (const text of texts) expect(joinedFields(text)?.fields).toEqual([text]);
  });
});
