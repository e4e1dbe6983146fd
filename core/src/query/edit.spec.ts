import type { Query } from '../design';
import { MOVABLE, movedPart, partsOf } from './edit';
import { newQuery } from './new';
import { so } from './scope';

describe('parts of a sentence in other places', () => {
  const named = (id: string) => ({ id, label: id, expression: '"#f_x"' });
  const query: Query = {
    ...newQuery('q_1', 'Q', { id: 't_1' }),
    columns: ['a', 'b', 'c'].map(named),
    group: {
      by: ['a', 'b', 'c'].map(named),
      measures: ['a', 'b', 'c'].map((id) => ({ id, label: id, total: 'count' as const, expression: null })),
    },
    where: ['a', 'b', 'c'].map(so),
    keep: ['a', 'b', 'c'].map(so),
    sort: ['a', 'b', 'c'].map((column) => ({ column, descending: false })),
  };
  const order = ({ columns, group, where, keep, sort }: Query): Record<string, string> => ({
    column: columns.map(({ id }) => id).join(''),
    group: group!.by.map(({ id }) => id).join(''),
    measure: group!.measures.map(({ id }) => id).join(''),
    where: where.map((item) => (item.is === 'so' ? item.expression : '')).join(''),
    keep: keep.map((item) => (item.is === 'so' ? item.expression : '')).join(''),
    sort: sort.map(({ column }) => column).join(''),
  });

  for (const what of MOVABLE)
    it(`${what}: only those of its sort change places, and none is lost`, () => {
      const moves: [number, number, string][] = [
        [0, 2, 'bca'],
        [2, 0, 'cab'],
        [0, 1, 'bac'],
        [1, 1, 'abc'],
        [0, 9, 'bca'],
        [2, -3, 'cab'],
        [7, 0, 'abc'],
      ];
      for (const [from, to, expected] of moves) {
        const next = order(movedPart(query, what, from, to));
        expect(next)
          .withContext(`${from} to ${to}`)
          .toEqual({ ...order(query), [what]: expected });
      }
      expect(partsOf(query, what)).toBe(3);
      expect(order(query)[what]).toBe('abc');
    });

  it('without groups there is nothing of theirs to move', () => {
    const plain = { ...query, group: null };
    expect(movedPart(plain, 'group', 0, 1).group).toBeNull();
    expect([partsOf(plain, 'group'), partsOf(plain, 'measure')]).toEqual([0, 0]);
  });
});
