import { Presence } from './presence';

describe('Presence', () => {
  const [mara, tobin] = [
    { id: 'a_1', name: 'Mara' },
    { id: 'a_2', name: 'Tobin' },
  ];
  const hire = { table: 't_hire', key: [7] };

  it('tells who else has a record open, on however many pages, and nobody of herself', () => {
    const presence = new Presence();
    expect(presence.here('f', 'p1', mara, hire, 0)).toEqual([]);
    expect(presence.here('f', 'p2', mara, hire, 0)).toEqual([]);
    expect(presence.here('f', 'p3', tobin, hire, 0)).toEqual(['Mara']);
    expect(presence.here('f', 'p1', mara, hire, 10)).toEqual(['Tobin']);
    for (const other of [
      { table: 't_hire', key: [8] },
      { table: 't_player', key: [7] },
    ])
      expect(presence.here('f', 'p4', { id: 'a_3', name: 'Ida' }, other, 10)).toEqual([]);
    expect(presence.here('g', 'p5', tobin, hire, 10)).toEqual([]);
  });

  it('forgets who has left, and who has not been heard of for a while', () => {
    const presence = new Presence();
    presence.here('f', 'p1', mara, hire, 0);
    presence.here('f', 'p1', mara, null, 5);
    expect(presence.here('f', 'p2', tobin, hire, 6)).toEqual([]);
    presence.here('f', 'p1', mara, hire, 10);
    expect(presence.here('f', 'p2', tobin, hire, 20_000)).toEqual(['Mara']);
    expect(presence.here('f', 'p2', tobin, hire, 60_011)).toEqual([]);
  });
});
