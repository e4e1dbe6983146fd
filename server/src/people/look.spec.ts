import { Office, ORIGIN } from '../testing/office';
import '../testing/timeouts';

describe('how the pages look', () => {
  let office: Office;
  beforeEach(async () => (office = await Office.open({ demo: false })));
  afterEach(() => office.close());

  const call = async (method: 'GET' | 'PUT', url: string, token: string, payload?: object) => {
    const answer = await office.app.server.inject({
      method,
      url,
      ...(payload ? { payload } : {}),
      cookies: { heathridge: token },
      headers: { origin: ORIGIN },
    });
    return { status: answer.statusCode, body: answer.json<{ person?: { look?: unknown } }>() };
  };
  const lookOf = async (token: string): Promise<unknown> =>
    (await call('GET', '/api/session', token)).body.person?.look;

  it('is kept for a person in every browser, and for nobody else', async () => {
    const { accounts } = office.app.context;
    await accounts.create('edda', 'Edda', 'a long enough password', true);
    await accounts.create('finn', 'Finn', 'a long enough password', false);
    const [here, there] = [
      await accounts.signIn('edda', 'a long enough password'),
      await accounts.signIn('edda', 'a long enough password'),
    ];
    const other = await accounts.signIn('finn', 'a long enough password');
    const usual = { colours: 'system', size: 'usual' };
    expect([await lookOf(here), await lookOf(there), await lookOf(other)]).toEqual([usual, usual, usual]);
    const look = { colours: 'dark', size: 'large' };
    expect(await call('PUT', '/api/session/look', here, look)).toEqual({ status: 200, body: look as object });
    expect([await lookOf(here), await lookOf(there), await lookOf(other)]).toEqual([look, look, usual]);
  });

  it('is one of those there are', async () => {
    const { accounts } = office.app.context;
    await accounts.create('edda', 'Edda', 'a long enough password', true);
    const token = await accounts.signIn('edda', 'a long enough password');
    for (const look of [{ colours: 'pink', size: 'usual' }, { colours: 'dark' }, {}])
      expect((await call('PUT', '/api/session/look', token, look)).status).toBe(400);
    expect(await lookOf(token)).toEqual({ colours: 'system', size: 'usual' });
  });
});
