import { Newsroom, type News } from './news';
import { Office } from '../testing/office';

const said = (entry: number): News => ({ account: 'a', by: 'A', entry, tables: [], design: false });

describe('Newsroom', () => {
  const heard = (room: Newsroom, file: string, last: string | null): string[] => {
    const stream = room.listen(file, last, null);
    const all: string[] = [];
    for (let piece = stream.read() as Buffer | null; piece; piece = stream.read() as Buffer | null)
      all.push(piece.toString());
    stream.destroy();
    return all
      .join('')
      .split('\n\n')
      .filter((event) => /data:/.test(event));
  };

  it('tells everybody who listens to a file, and nobody else', (done) => {
    const room = new Newsroom('e_1');
    const [own, other] = [room.listen('f_a', null, null), room.listen('f_b', null, null)];
    const pieces: string[] = [];
    other.on('data', (piece: Buffer) => /data:/.test(piece.toString()) && fail('this is not for them'));
    own.on('data', (piece: Buffer) => {
      pieces.push(piece.toString());
      if (!/"entry":7/.test(pieces.join(''))) return;
      room.close();
      expect(pieces.join('')).toContain('id: e_1-1\ndata: {"account":"a"');
      done();
    });
    room.tell('f_a', said(7));
  });

  it('goes on behind the last event that was heard', () => {
    const room = new Newsroom('e_1');
    [1, 2, 3].forEach((entry) => room.tell('f_a', said(entry)));
    expect(heard(room, 'f_a', 'e_1-1').map((event) => /"entry":(\d+)/.exec(event)?.[1])).toEqual(['2', '3']);
    expect(heard(room, 'f_a', 'e_1-3')).toEqual([]);
    expect(heard(room, 'f_a', null)).toEqual([]);
  });

  it('says that all is to be read again where it does not know what was missed', () => {
    const room = new Newsroom('e_2');
    for (let entry = 0; entry < 500; entry++) room.tell('f_a', said(entry));
    for (const last of ['e_1-400', 'e_2-5', 'e_2-9999', 'nonsense', ''])
      expect(heard(room, 'f_a', last))
        .withContext(last)
        .toEqual(['event: reset\ndata: {}']);
  });

  it('is told of saves, of what is undone and of the rows that were changed', async () => {
    const office = await Office.open();
    const listening = office.call('GET', 'events?seconds=2');
    const { body } = await office.save({
      op: 'update',
      table: 't_school',
      key: [1],
      values: { f_schoolPhone: '9' },
      was: {},
    });
    await office.save({ op: 'insert', table: 't_school', values: { f_schoolName: 'New here' } });
    await office.call('POST', `log/${body.entry}/undo`, {});
    const events = String((await listening).raw)
      .split('\n\n')
      .flatMap((event) => /data: (.+)/.exec(event)?.[1] ?? [])
      .map((text) => JSON.parse(text) as News);
    expect(events.map(({ tables }) => tables)).toEqual([
      [{ table: 't_school', changed: [[1]] }],
      [{ table: 't_school', changed: null }],
      [{ table: 't_school', changed: null }],
    ]);
    expect(events[0]).toEqual(jasmine.objectContaining({ by: 'Mara Ashdown', entry: body.entry }));
    await office.close();
  });

  it('is told on the Desk of the tables on one’s screens alone, and of no keys; and that the design is another', async () => {
    const office = await Office.open();
    const { body: people } = await office.call('GET', 'people');
    const colleague = people.people.find(({ role }: { role: string }) => role === 'colleague').id;
    const all = { read: true, add: true, change: true, delete: true, own: null, conditions: [] };
    const role = { type: 'role', id: 'g_a', label: 'A', screens: ['o_players'], fields: [] };
    await office.put({ ...role, tables: [{ ...all, table: 't_payment', read: false }] } as { id: string });
    await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: 'g_a' });
    const listening = office.call('GET', 'desk/events?seconds=2', undefined, 'colleague');
    const change = (table: string, field: string) =>
      office.save({ op: 'update', table, key: [1], values: { [field]: '9' }, was: {} });
    expect((await change('t_school', 'f_schoolPhone')).status).toBe(200);
    expect((await change('t_player', 'f_playerPhone')).status).toBe(200);
    const form = office.design.forms.find(({ id }) => id === 'o_players')!;
    expect((await office.put({ ...form, label: 'People' } as { id: string })).status).toBe(200);
    const events = String((await listening).raw)
      .split('\n\n')
      .flatMap((event) => /data: (.+)/.exec(event)?.[1] ?? [])
      .map((text) => JSON.parse(text) as unknown);
    const by = 'Mara Ashdown';
    expect(events).toEqual([
      { own: false, by, tables: ['t_player'], design: false },
      { own: false, by, tables: [], design: true },
    ]);
    await office.close();
  });
});
