import { subformsOf } from '@heathridge/core/form';
import { joinsAlong } from '@heathridge/core/query';
import { Office } from '../testing/office';
import { QUERY } from '../testing/routes';
import type { Answer } from '../testing/office';

/** What people or programs may send and nobody foresaw is answered in words, never as our own defect. */
describe('what does not fit', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const query = { ...QUERY, from: 't_hire' };
  const refused = (answer: Answer, status: number, words: RegExp): void => {
    expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(status);
    expect(answer.body.detail).toMatch(words);
  };

  for (const search of ['\0', 'a\0b', '\ud800', '\u202e', '%_!', "'; --", '"#f_x"'])
    it(`is no search that fails: ${JSON.stringify(search)}`, async () => {
      const window = { start: 0, limit: 1, search };
      expect((await office.call('POST', 'tables/t_school/window', window)).status).toBe(200);
      const list = `desk/screens/o_hireDesk/list?search=${encodeURIComponent(search.replace('\ud800', '?'))}`;
      expect((await office.call('GET', list, undefined, 'colleague')).status).toBe(200);
      expect((await office.call('POST', 'lookups/f_hirePlayer', { search })).status).toBe(200);
    });

  for (const path of [
    ['f_hireNote'],
    ['f_nothing'],
    ['t_hire'],
    ['f_hirePaid'],
    ['f_hirePlayer', 'f_hirePlayer'],
    ['f_hirePlayer', 'f_playerSurname'],
  ])
    it(`is no path of a query: ${path.join('.')}`, async () => {
      const along = { ...query, joins: joinsAlong([{ path, keepWithout: true }]) };
      refused(await office.call('POST', 'query/run', { query: along }), 422, /no longer there/);
      refused(await office.put(along), 422, /no longer there/);
    });

  it('is no subform', async () => {
    const form = office.design.forms.find(({ id }) => id === 'o_hireDesk')!;
    for (const link of ['f_nothing', 'f_hirePaid', 'f_hireNote', 'f_hirePlayer']) {
      const bad = { ...form, parts: [{ ...subformsOf(form.parts)[0]!, link }] };
      refused(await office.call('POST', 'forms/preview', { form: bad, key: null }), 422, /does not fit/);
      refused(await office.put(bad), 422, /does not fit/);
    }
  });

  it('is no number without an end, wherever one stands', async () => {
    const drawing = '{"title":"x","commands":[1e9999]}';
    const bodies: Readonly<Record<string, string>> = {
      'map/pdf': `{"drawing":${drawing},"width":1e9999,"height":1e9999}`,
      'tables/t_school/window': '{"start":1e9999,"limit":1}',
      rows: '{"changes":[{"op":"delete","table":"t_school","key":[-1e9999]}]}',
      'query/run': JSON.stringify({ query }).replace('"first":1', '"first":1e9999'),
      'draft/check': '{"base":1e9999,"changes":[]}',
    };
    for (const [url, body] of Object.entries(bodies)) {
      const json = { 'content-type': 'application/json' };
      const answer = await office.call('POST', url, body, 'builder', json);
      refused(answer, 400, /too large/);
    }
  });

  describe('in a save with rows that are added together', () => {
    const hire = (temp: string, place = 0) => ({
      op: 'insert',
      table: 't_payment',
      values: {
        f_paymentHire: { temp },
        f_paymentPaidOn: '2026-11-20',
        f_paymentMethod: 'Card',
        f_paymentAmount: `${place + 1}.00`,
      },
    });
    const free = (): number => {
      const sql =
        'SELECT min(asset_number) FROM instrument WHERE asset_number NOT IN (SELECT instrument FROM hire WHERE returned_on IS NULL)';
      return (office.app.context.files.get(office.file).reader.prepare(sql).raw().get() as [number])[0];
    };
    const parent = (temp: string, values: object = {}) => ({
      op: 'insert',
      table: 't_hire',
      temp,
      values: {
        f_hirePlayer: 1,
        f_hireInstrument: free(),
        f_hireHiredOn: '2026-11-01',
        f_hireDueBack: '2027-05-01',
        f_hireMonthlyFee: '12.50',
        ...values,
      },
    });

    it('the order makes no difference, and each is answered in its place', async () => {
      const { status, body } = await office.save(hire('p'), hire('p', 1), parent('p'), hire('p', 2));
      expect(status).withContext(JSON.stringify(body)).toBe(200);
      expect(
        (body.saved as { change: number; table: string }[]).map(({ change, table }) => [change, table]),
      ).toEqual([
        [0, 't_payment'],
        [1, 't_payment'],
        [2, 't_hire'],
        [3, 't_payment'],
      ]);
    });

    it('a name that no row has is refused beside its field', async () => {
      const { status, body } = await office.save(hire('nobody'));
      expect(status).toBe(422);
      expect(body.errors).toEqual([
        jasmine.objectContaining({
          change: 0,
          field: 'f_paymentHire',
          message: jasmine.stringContaining('not in this save'),
        }),
      ]);
    });

    it('a row whose parent is refused says nothing of its own', async () => {
      const { status, body } = await office.save(hire('p'), parent('p', { f_hireDueBack: '2020-01-01' }));
      expect(status).toBe(422);
      expect((body.errors as { change: number }[]).map(({ change }) => change)).toEqual([1]);
    });

    it('two rows of one name, or a circle, are no save', async () => {
      refused(await office.save(parent('p'), parent('p')), 400, /one name/);
      const [a, b] = [
        { op: 'insert', table: 't_hire', temp: 'a', values: { f_hirePlayer: { temp: 'b' } } },
        { op: 'insert', table: 't_hire', temp: 'b', values: { f_hirePlayer: { temp: 'a' } } },
      ];
      refused(await office.save(a, b), 400, /circle/);
    });
  });
});

describe('what we did not foresee', () => {
  it('is an error whose number the person can tell, and the log says more under it', async () => {
    const office = await Office.open();
    const said: string[] = [];
    spyOn(process.stderr, 'write').and.callFake(((text: string) => said.push(text) > 0) as never);
    spyOn(office.app.context.files, 'get').and.throwError('the drum is broken');
    const { status, body } = await office.call('GET', 'design');
    expect([status, body.type]).toEqual([500, '/problems/unexpected']);
    expect(body.number).toMatch(/^\d{6}$/);
    expect(body.detail).toContain(body.number);
    expect(JSON.stringify(body)).not.toContain('drum');
    expect(said.join('')).toMatch(new RegExp(`^${body.number} GET .*the drum is broken`, 's'));
    await office.close();
  });
});
