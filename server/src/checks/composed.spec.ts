import Database from 'libsql';
import fc from 'fast-check';
import { textFault } from '@heathridge/core/change';
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

/**
 * Whether the engine tells bytes that are UTF-8 from others as the platform's decoder does (WHATWG Encoding Standard,
 * "UTF-8 decoder", fatal), which is not ours either.
 */
describe('bytes of texts', () => {
  const db = new Database(':memory:');
  db.exec('CREATE TABLE t (n INTEGER PRIMARY KEY, text TEXT)');
  afterAll(() => db.close());

  const decoder = new TextDecoder('utf-8', { fatal: true });
  function isText(bytes: Buffer): boolean {
    try {
      decoder.decode(bytes);
      return !bytes.includes(0);
    } catch (error) {
      if (error instanceof TypeError) return false;
      throw error;
    }
  }

  /** Those of which the engine says otherwise than the platform, in hexadecimal. */
  function misjudged(all: readonly Buffer[]): string[] {
    db.exec('DELETE FROM t');
    const put = db.prepare('INSERT INTO t VALUES (?, CAST(? AS TEXT))');
    all.forEach((bytes, n) => put.run(n, bytes));
    const found = db
      .prepare(`SELECT n FROM t WHERE ${textFault('text').fault}`)
      .raw()
      .all() as [number][];
    const faulty = new Set(found.map(([n]) => n));
    return all.filter((bytes, n) => faulty.has(n) === isText(bytes)).map((bytes) => bytes.toString('hex'));
  }

  /** Characters whole, cut, with a byte too many, with bytes of others between; U+FFFE and U+FFFF are no letters. */
  const fragment = fc.oneof(
    fc.constantFrom(
      ...['a', ' ', 'é', 'ß', '日', 'ठ', '😀', '\u00a4', '\ud7ff', '\ue000', '\u{10ffff}'].map((c) =>
        Buffer.from(c),
      ),
    ),
    fc.constantFrom(
      ...[
        '80',
        'a4',
        'bf',
        'c3',
        'e3',
        'e381',
        'f09f',
        'f09f98',
        'c3a4a4',
        'e381',
        'ff',
        'c0af',
        'e08080',
        'eda080',
        'f4908080',
        '00',
      ].map((hex) => Buffer.from(hex, 'hex')),
    ),
    fc.integer({ min: 128, max: 255 }).map((byte) => Buffer.from([byte])),
  );
  const bytes = fc.array(fragment, { minLength: 1, maxLength: 8 }).map((parts) => Buffer.concat(parts));

  it('are told from what is none', () => {
    const all = fc.sample(bytes, 5000);
    expect(all.filter(isText).length).toBeGreaterThan(100);
    expect(misjudged(all)).toEqual([]);
  });

  it('are told from what is none wherever in a long text they stand', () => {
    // Around the places at which a text is cut into parts.
    const places = [1, 30, 255, 256, 257, 287, 288, 289, 512, 16_383, 16_384, 16_385, 16_416, 40_000];
    const all = places.flatMap((place) =>
      fc
        .sample(bytes, 20)
        .flatMap((odd) => [
          Buffer.concat([Buffer.from('é'.repeat(place)), odd]),
          Buffer.concat([Buffer.from('x'.repeat(place)), odd, Buffer.from('日本'.repeat(200))]),
        ]),
    );
    expect(misjudged(all)).toEqual([]);
  });
});
