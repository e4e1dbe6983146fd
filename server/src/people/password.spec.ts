import { Office, ORIGIN } from '../testing/office';
import '../testing/timeouts';

describe('a password', () => {
  let office: Office;
  beforeEach(async () => (office = await Office.open({ demo: false })));
  afterEach(() => office.close());
  const OLD = 'a long enough password';

  const change = async (token: string, payload: object) => {
    const answer = await office.app.server.inject({
      method: 'PUT',
      url: '/api/session/password',
      payload,
      cookies: { heathridge: token },
      headers: { origin: ORIGIN },
    });
    return { status: answer.statusCode, detail: answer.json<{ detail?: string }>().detail };
  };

  it('is changed by who has it, once she says it; her other sessions end', async () => {
    const { accounts } = office.app.context;
    await accounts.create('fenna', 'Fenna', OLD, true);
    const [here, elsewhere] = [await accounts.signIn('fenna', OLD), await accounts.signIn('fenna', OLD)];
    // The server has met both.
    expect([here, elsewhere].map((token) => accounts.person(token)?.login)).toEqual(['fenna', 'fenna']);
    const next = 'quite another password';
    expect(await change(here, { current: 'another one of hers', next })).toEqual({
      status: 403,
      detail: 'This is not the password that you have now.',
    });
    expect((await change(here, { current: OLD, next: 'short' })).status).toBe(400);
    expect(await accounts.signIn('fenna', OLD)).toMatch(/./);
    expect((await change(here, { current: OLD, next })).status).toBe(200);
    await expectAsync(accounts.signIn('fenna', OLD)).toBeRejected();
    expect(await accounts.signIn('fenna', next)).toMatch(/./);
    expect(accounts.person(here)?.login).toBe('fenna');
    expect(accounts.person(elsewhere)).toBeNull();
  });

  it('that everybody knows stays as it is, where the account belongs to the demo', async () => {
    const { accounts } = office.app.context;
    await accounts.create('gerd', 'Gerd', OLD, true);
    accounts.rememberDemo([{ login: 'gerd', name: 'Gerd', password: OLD, role: 'builder' }]);
    const token = await accounts.signIn('gerd', OLD);
    const answer = await change(token, { current: OLD, next: 'quite another password' });
    expect([answer.status, answer.detail]).toEqual([403, jasmine.stringContaining('belongs to the demo')]);
    expect(await accounts.signIn('gerd', OLD)).toMatch(/./);
  });
});
