import { Office } from '../testing/office';

describe('what the cards of the map show', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(() => office.close());
  const cards = async (): Promise<unknown> => (await office.call('GET', 'design')).body.cards;

  it('is kept in the file, and nobody has chosen to begin with', async () => {
    expect(await cards()).toBeNull();
    expect((await office.call('PUT', 'cards', { cards: 'names' })).status).toBe(200);
    expect((await office.call('PUT', 'cards', { cards: 'keys' })).status).toBe(200);
    expect(await cards()).toBe('keys');
    office.app.context.files.close();
    expect(await cards()).toBe('keys');
  });

  it('is one of three, whatever is sent or another tool has written', async () => {
    expect((await office.call('PUT', 'cards', { cards: 'pictures' })).status).toBe(400);
    office.app.context.files.get(office.file).writer.exec("UPDATE hr_sight SET value = 'pictures'");
    expect(await cards()).toBeNull();
  });
});
