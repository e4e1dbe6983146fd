import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Problem } from '../problem';
import { Password } from '@heathridge/core/people';
import { COOKIE, type Call, type Router } from '../http/routes';

const SignIn = v.object({
  login: v.pipe(v.string(), v.maxLength(100)),
  password: v.pipe(v.string(), v.maxLength(200)),
});
const NewAccount = v.object({ ...SignIn.entries, name: v.pipe(v.string(), v.maxLength(60)) });

async function signIn(
  { context, reply, request }: Pick<Call, 'context' | 'reply' | 'request'>,
  login: string,
  password: string,
): Promise<unknown> {
  const token = await context.accounts.signIn(login, password);
  void reply.setCookie(COOKIE, token, {
    path: '/',
    httpOnly: true,
    sameSite: 'strict',
    secure: request.protocol === 'https',
    maxAge: 14 * 86_400,
  });
  return { person: context.accounts.person(token) };
}

export function sessionRoutes(router: Router, signInsAMinute: number): void {
  /** From many addresses one name could be tried as often as there are addresses. */
  const perAccount = router.limiter({
    max: signInsAMinute,
    timeWindow: '1 minute',
    keyGenerator: ({ body }) =>
      `account ${String((body as { login?: unknown }).login)
        .trim()
        .toLowerCase()}`,
  });
  router.add({
    method: 'GET',
    url: '/api/session',
    answer: answers.SessionInfo,
    needs: 'anyone',
    summary: 'Who is signed in; on a first visit, that there is nobody yet',
    handler: ({ context: { accounts }, request }) => {
      const token = request.cookies[COOKIE];
      return {
        person: token ? accounts.person(token) : null,
        firstVisit: accounts.isEmpty(),
        demo: accounts.demoSignIns(),
      };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/session',
    answer: answers.SignedIn,
    needs: 'anyone',
    summary: 'Sign in',
    body: SignIn,
    rateLimit: { max: signInsAMinute, timeWindow: '1 minute' },
    handler: async (call) => {
      const tries = await perAccount(call.request);
      if (!tries.isAllowed && tries.isExceeded)
        throw new Problem('too-many', 'Too many tries for this name. Please wait a minute.');
      return signIn(call, call.body.login, call.body.password);
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/session',
    answer: answers.SignedOut,
    needs: 'anyone',
    summary: 'Sign out',
    handler: ({ context: { accounts }, request, reply }) => {
      const token = request.cookies[COOKIE];
      if (token) accounts.signOut(token);
      void reply.clearCookie(COOKIE, { path: '/' });
      return { person: null };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/session/look',
    answer: answers.Look,
    needs: 'signed-in',
    summary: 'Keep how the person who is signed in has the pages look',
    body: answers.Look,
    handler: ({ context: { accounts }, person, body }) => {
      accounts.keepLook(person.id, body);
      return body;
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/session/password',
    answer: answers.NewPassword,
    needs: 'signed-in',
    summary: 'Change your own password; your sessions elsewhere end',
    body: v.object({ current: v.pipe(v.string(), v.maxLength(1000)), next: Password }),
    rateLimit: { max: signInsAMinute, timeWindow: '1 minute' },
    handler: async ({ context: { accounts }, person, request, body: { current, next } }) => {
      await accounts.changePassword(person.id, current, next, request.cookies[COOKIE] ?? '');
      return { changed: true as const };
    },
  });
  router.add({
    method: 'POST',
    url: '/api/accounts',
    answer: answers.SignedIn,
    needs: 'anyone',
    summary: 'Create the first account, the builder’s; refused once there is one',
    body: NewAccount,
    rateLimit: { max: signInsAMinute, timeWindow: '1 minute' },
    handler: async (call) => {
      const { login, name, password } = call.body;
      await call.context.accounts.createFirst(login, name, password);
      return signIn(call, login, password);
    },
  });
}
