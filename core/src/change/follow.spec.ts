import { field, table } from '../design/testing/office';
import { Follower, type Entry, type Moves } from './follow';

const TABLE = table(
  'thing',
  [field('code', 'code', { kind: 'text' }), field('fee', 'fee', { kind: 'decimal', places: 2 })],
  { key: ['f_code'] },
);

const row = (code: string, fee: string | null = null): Entry['before'] => ({ f_code: code, f_fee: fee });
const update = (was: string, is: string, fees: readonly (string | null)[] = []): Entry => ({
  key: JSON.stringify([was]),
  op: 'update',
  before: row(was, fees[0] ?? null),
  after: row(is, fees[1] ?? null),
});
const added = (code: string): Entry => ({
  key: JSON.stringify([code]),
  op: 'insert',
  before: null,
  after: row(code),
});
const gone = (code: string): Entry => ({ key: `["${code}"]`, op: 'delete', before: row(code), after: null });

/** Moves by a table of pairs. */
const moves = (pairs: Readonly<Record<string, string>>): Moves => ({
  to: (was) => pairs[was] ?? null,
  from: (now) => Object.keys(pairs).find((was) => pairs[was] === now) ?? null,
});

describe('following rows', () => {
  const followed = (...entries: readonly Entry[]): unknown => {
    const follower = new Follower();
    for (const entry of entries) follower.entry(TABLE, entry);
    return Object.fromEntries([...follower.touched].map(([key, row]) => [key, row]));
  };

  it('keeps where each row was, however often its key changes', () => {
    expect(followed(update('a', 'b'), update('b', 'c'), update('x', 'a', [null, '1.00']))).toEqual({
      '["c"]': { was: '["a"]', written: ',f_code,' },
      '["a"]': { was: '["x"]', written: ',f_code,f_fee,' },
    });
  });

  it('does not take a row for another one that had its key', () => {
    expect(followed(gone('a'), added('a'), update('b', 'c'), added('b'), gone('c'))).toEqual({
      '["a"]': { was: null, written: '' },
      '["b"]': { was: null, written: '' },
    });
  });

  it('leaves out what only follows something else', () => {
    const follower = new Follower();
    follower.entry(TABLE, update('a', 'a', ['1.00', '2.00']), (id, was, is) => {
      expect([id, was, is]).toEqual(['f_fee', '1.00', '2.00']);
      return true;
    });
    expect([...follower.touched]).toEqual([['["a"]', { was: '["a"]', written: '' }]]);
  });

  it('goes along when the design gives all rows other keys, and back', () => {
    const follower = new Follower();
    follower.moved(moves({ '[1]': '["a"]', '[2]': '["b"]', '[3]': '["c"]' }));
    follower.entry(TABLE, update('a', 'z'));
    follower.entry(TABLE, added('n'));
    follower.moved(moves({ '["z"]': '[7]', '["b"]': '[8]', '["n"]': '[9]' }));
    const other = table('thing', [field('no', 'no', { kind: 'wholeNumber' })], { key: ['f_no'] });
    follower.entry(other, { key: '[8]', op: 'update', before: { f_no: 8 }, after: { f_no: 80 } });
    // Of a key that came from nowhere nothing is known.
    follower.entry(other, { key: '[5]', op: 'update', before: { f_no: 5 }, after: { f_no: 50 } });
    expect(Object.fromEntries(follower.touched)).toEqual({
      '[7]': { was: '[1]', written: ',f_code,' },
      '[9]': { was: null, written: '' },
      '[80]': { was: '[2]', written: ',f_no,' },
      '[50]': { was: null, written: ',f_no,' },
    });
  });

  it('takes what was written in parts for written in the whole', () => {
    const follower = new Follower();
    follower.entry(TABLE, update('a', 'a', ['1.00', '2.00']));
    follower.entry(TABLE, update('b', 'c'));
    follower.unmade(new Map([['f_whole', ['f_fee', 'f_other']]]));
    expect(Object.fromEntries(follower.touched)).toEqual({
      '["a"]': { was: '["a"]', written: ',f_fee,f_whole,' },
      '["c"]': { was: '["b"]', written: ',f_code,' },
    });
  });

  it('names decimal keys as the file keeps them', () => {
    const priced = table('thing', [field('fee', 'fee', { kind: 'decimal', places: 2 })], { key: ['f_fee'] });
    const follower = new Follower();
    follower.entry(priced, {
      key: '[150]',
      op: 'update',
      before: { f_fee: '1.50' },
      after: { f_fee: '2.25' },
    });
    expect([...follower.touched.keys()]).toEqual(['[225]']);
  });
});
