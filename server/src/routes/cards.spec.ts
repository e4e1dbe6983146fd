import { fieldOf, tableOf, type Form } from '@heathridge/core/design';
import { cardsFrom, laysOut, lanesOf, namedValues, asList, formFromTable } from '@heathridge/core/form';
import { BRITISH } from '@heathridge/core/values';
import { Office } from '../testing/office';

const STATE = 'f_repairState';

describe('lists of cards in columns', () => {
  let office: Office;
  let saves = 0;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const at = (url: string): string => `/api/files/${office.file}/${url}`;
  const page = (screen: string, body: object) =>
    office.call('POST', at(`desk/screens/${screen}/page`), { start: 0, limit: 200, ...body });
  const save = (screen: string, values: object, key: number, was: object = {}) =>
    office.call('POST', at(`desk/screens/${screen}/save`), {
      id: `save${String(++saves).padStart(8, '0')}`,
      changes: [{ op: 'update', table: 't_repair', key: [key], values, was }],
    });
  const form = (id: string): Form => office.design.forms.find((other) => other.id === id)!;
  const totals = async (screen: string, conditions: readonly string[]): Promise<number[]> => {
    const all: number[] = [];
    for (const condition of conditions) {
      const { status, body } = await page(screen, { limit: 1, conditions: [condition] });
      expect(status)
        .withContext(`${condition}: ${JSON.stringify(body)}`)
        .toBe(200);
      all.push(body.total as number);
    }
    return all;
  };

  it('say on the Desk what they are', async () => {
    const { body } = await office.call('GET', at('desk'));
    const screens = body.screens as { id: string; shows: string }[];
    expect(Object.fromEntries(screens.map(({ id, shows }) => [id, shows]))).toEqual(
      jasmine.objectContaining({ o_workshop: 'cards', o_stock: 'list', o_repairs: 'record' }),
    );
  });

  it('have each row in one column, by whatever field of whatever table they are laid out', async () => {
    let tried = 0;
    for (const table of office.design.tables)
      for (const field of table.fields.filter(laysOut)) {
        const list = asList(formFromTable(office.design, table, 'o_any', 'Any cards'));
        const made = { ...cardsFrom(list, table, field.id, false), id: 'o_any' };
        const put = await office.put(made);
        expect(put.status)
          .withContext(`${table.label} by ${field.label}: ${JSON.stringify(put.body)}`)
          .toBe(200);
        let values = namedValues(field, BRITISH);
        if (!values) {
          const found = await office.call('POST', at(`desk/screens/o_any/lookups/${field.id}`), {
            search: '',
            row: null,
          });
          expect(found.status).toBe(200);
          values = (found.body.choices as [string | number, string][]).map(
            ([key, text]) => [key, text] as const,
          );
        }
        const lanes = lanesOf(field, values);
        const all = (await page('o_any', { limit: 1 })).body.total as number;
        const each = await totals(
          'o_any',
          lanes.map(({ condition }) => condition),
        );
        expect(each.reduce((sum, one) => sum + one, 0))
          .withContext(`${table.label} by ${field.label}: ${each.join(', ')}`)
          .toBe(all);
        tried++;
      }
    expect(tried).toBeGreaterThan(8);
    expect((await office.drop('o_any')).status).toBe(200);
  });

  it('let people change what says in which column a row stands, and nothing else of it', async () => {
    const { body } = await page('o_workshop', { limit: 1 });
    const [row] = body.rows as { key: [number]; cells: Record<string, string> }[];
    const state = row!.cells[STATE]!;
    const next = state === 'Waiting' ? 'On the bench' : 'Waiting';
    const saved = await save('o_workshop', { [STATE]: next }, row!.key[0], { [STATE]: state });
    expect(saved.status).withContext(JSON.stringify(saved.body)).toBe(200);
    const other = await save('o_workshop', { f_repairFault: 'Other' }, row!.key[0]);
    expect(other.status).toBe(403);
    const undone = await office.call('POST', at('desk/screens/o_workshop/undo'), { entry: saved.body.entry });
    expect(undone.status).toBe(200);
    const unknown = await save('o_workshop', { [STATE]: 'Lost' }, row!.key[0], { [STATE]: state });
    expect(unknown.status).toBe(422);
  });

  it('are lists for a role that does not see by what they are laid out', async () => {
    const table = tableOf(office.design, 't_repair');
    expect(fieldOf(table, STATE)!.type.kind).toBe('choice');
    expect(form('o_workshop').list!.cards).toBe(STATE);
    const { body } = await office.call('GET', at('people'));
    const { id } = (body.people as { id: string; role: string }[]).find(({ role }) => role === 'colleague')!;
    const shows = async (rest: object): Promise<unknown> => {
      const role = {
        type: 'role',
        id: 'g_test',
        label: 'Test',
        screens: ['o_workshop'],
        tables: [],
        fields: [],
        ...rest,
      };
      const put = await office.put(role);
      expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
      await office.call('PUT', at(`people/${id}`), { role: 'colleague', duty: 'g_test' });
      const desk = await office.call('GET', at('desk'), undefined, 'colleague');
      const screen = await office.call('GET', at('desk/screens/o_workshop'), undefined, 'colleague');
      return [desk.body.screens[0].shows, screen.body.form.list.cards];
    };
    expect(await shows({})).toEqual(['cards', STATE]);
    expect(await shows({ fields: [{ field: STATE, people: 'hidden' }] })).toEqual(['list', undefined]);
    // To be read it may well be: the cards stay where they are then.
    expect(await shows({ fields: [{ field: STATE, people: 'read' }] })).toEqual(['cards', STATE]);
    const moved = await office.call(
      'POST',
      at('desk/screens/o_workshop/save'),
      { changes: [{ op: 'update', table: 't_repair', key: [640], values: { [STATE]: 'Done' }, was: {} }] },
      'colleague',
    );
    expect(moved.status).toBe(403);
  });
});
