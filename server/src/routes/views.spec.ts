import { Office } from '../testing/office';

describe('views of a table', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  const view = {
    columns: [{ field: 'f_schoolName', width: 120, frozen: true }],
    sort: [],
    conditions: ['TRUE'],
  };
  const keep = (name: string, everyone: boolean, more: object = {}) =>
    office.call('PUT', 'tables/t_school/views', { name, everyone, view: { ...view, ...more } });
  const views = async () =>
    (await office.call('GET', 'tables/t_school/views')).body.views as {
      id: string;
      name: string;
      everyone: boolean;
      by: string;
      view: typeof view;
    }[];

  it('are kept under a name, one for oneself beside one for everyone, and kept anew in their place', async () => {
    const own = await keep('Short', false);
    await keep('Short', true, { sort: [{ field: 'f_schoolName', descending: true }] });
    expect((await keep('SHORT', false, { conditions: [] })).body.id).toBe(own.body.id);
    const all = await views();
    expect(all.map(({ name, everyone, by }) => [name, everyone, by]).sort()).toEqual([
      ['SHORT', false, 'Mara Ashdown'],
      ['Short', true, 'Mara Ashdown'],
    ]);
    expect(all.find(({ everyone }) => !everyone)!.view).toEqual({
      columns: [{ field: 'f_schoolName', width: 120, hidden: false, frozen: true }],
      sort: [],
      conditions: [],
    } as never);
  });

  it('are dropped, and belong to one table', async () => {
    const { body } = await keep('Brief', false);
    expect((await office.call('DELETE', `tables/t_hire/views/${body.id}`)).status).toBe(404);
    expect((await office.call('DELETE', `tables/t_school/views/${body.id}`)).body).toEqual({ gone: true });
    expect((await views()).some(({ name }) => name === 'Brief')).toBeFalse();
    expect((await office.call('GET', 'tables/t_hire/views')).body.views).toEqual([]);
    expect((await office.call('GET', 'tables/t_none/views')).status).toBe(404);
  });

  it('that another tool has spoilt are left out', async () => {
    const { body } = await keep('Spoilt', true);
    const { writer } = office.app.context.files.get(office.file);
    writer.prepare("UPDATE hr_view SET document = 'nonsense' WHERE id = ?").run([body.id]);
    expect((await views()).some(({ name }) => name === 'Spoilt')).toBeFalse();
  });

  it('need a name', async () => {
    expect((await keep(' ', false)).status).toBe(400);
    expect((await keep('x'.repeat(61), false)).status).toBe(400);
  });
});
