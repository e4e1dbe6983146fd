import { idOwners } from '@heathridge/core/design';
import { Office } from '../testing/office';
import { QUERY } from '../testing/routes';

describe('the id of a document that is saved', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  it('is not that of anything else in the file', async () => {
    const owners = idOwners(office.design);
    expect(owners.length).toBeGreaterThan(60);
    const before = office.design;
    for (const { id, type } of owners) {
      if (type === 'query') continue;
      const document = { ...QUERY, id };
      const { status, body } = await office.put(document);
      expect(status).withContext(`${type} ${id}`).toBe(400);
      expect(body.detail).withContext(id).toContain('This id belongs to');
    }
    expect(office.design).toEqual(before);
  });
});
