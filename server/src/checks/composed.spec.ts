import Database from 'libsql';
import fc from 'fast-check';
import { apartSql } from '@heathridge/core/expression';
import { migrate, ormOver } from '../store/driver';
import '../testing/timeouts';

/**
 * Whether the engine tells composed texts from others as the platform does, whose normalization is that of
 * ICU (UAX 15; ECMA-262, String.prototype.normalize): the judge is not ours.
 */
describe('composed texts', () => {
  const db = new Database(':memory:');
  migrate(ormOver(db), 'file');
  afterAll(() => db.close());

  /** The texts of which the engine says otherwise than the platform. */
  function misjudged(texts: readonly string[]): string[] {
    const judged = texts.map((text) => [text, text.normalize('NFC') === text ? 0 : 1]);
    const sql = `SELECT value ->> 0 FROM json_each(?) WHERE ${apartSql('(value ->> 0)')} <> (value ->> 1)`;
    return (db.prepare(sql).raw().all(JSON.stringify(judged)) as [string][]).map(([text]) => text);
  }
  const letter = (code: number): string => String.fromCodePoint(code);
  const letters = Array.from({ length: 0x30000 }, (_, code) => code)
    .filter((code) => code > 0 && (code < 0xd800 || code > 0xdfff))
    .map(letter);

  it('are told from others, letter by letter, in both of their forms', () => {
    const apart = letters.map((each) => each.normalize('NFD'));
    expect(apart.filter((each) => each.normalize('NFC') !== each).length).toBeGreaterThan(12_000);
    expect(misjudged([...letters, ...apart])).toEqual([]);
  });

  it('are told from others where marks meet one another', () => {
    const marks = letters.filter((each) => /\p{M}/u.test(each));
    const compound = letters.filter((each) => each.normalize('NFD') !== each);
    const some = (of: readonly string[]): fc.Arbitrary<string> => fc.constantFrom(...of);
    const text = fc
      .array(
        fc.oneof(
          some([...'aeioucnsqyAEO', 'か', 'क', 'ା', 'ạ', 'ê', 'é', 'ȩ', '각', '가', 'ᄀ', 'ᅡ', 'ᆨ']),
          some([...'\u0300\u0301\u0302\u0323\u0327\u0328\u0308\u0304\u0331\u0345\u0334\u3099\u05b0\u0951']),
          some(marks),
          some(compound),
        ),
        { minLength: 1, maxLength: 6 },
      )
      .map((parts) => parts.join(''));
    const texts = fc.sample(
      fc.oneof(
        text,
        text.map((each) => each.normalize('NFC')),
      ),
      6000,
    );
    expect(texts.filter((each) => each.normalize('NFC') !== each).length).toBeGreaterThan(500);
    expect(misjudged(texts)).toEqual([]);
  });

  it('are told from others wherever in a long text the letters stand', () => {
    const texts = Array.from({ length: 600 }, (_, i) => `${'é'.repeat(i)}e\u0323\u0302${'日'.repeat(i % 7)}`);
    expect(misjudged([...texts, ...texts.map((each) => each.normalize('NFC'))])).toEqual([]);
  });
});
