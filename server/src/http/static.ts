import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fastifyStatic from '@fastify/static';
import type { FastifyInstance, FastifyReply } from 'fastify';

/** The Content-Security-Policy of the pages: everything from here, styles by nonce. */
function policy(nonce: string): string {
  return [
    "default-src 'self'",
    "script-src 'self'",
    `style-src 'self' 'nonce-${nonce}'`,
    // The grid and the icons set style attributes.
    "style-src-attr 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self'",
    "connect-src 'self'",
    "frame-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'self'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
}

/** Serves the built pages; any address that is not a file is the application's own to route. */
export async function servePages(app: FastifyInstance, folder: string): Promise<void> {
  const index = join(folder, 'index.html');
  if (!existsSync(index)) return;
  const page = readFileSync(index, 'utf8');
  await app.register(fastifyStatic, {
    root: folder,
    index: false,
    wildcard: false,
    // It has a nonce of its own each time, and is served below.
    globIgnore: ['**/index.html'],
    maxAge: '1y',
    immutable: true,
  });
  const send = (reply: FastifyReply): FastifyReply => {
    const nonce = randomBytes(16).toString('base64');
    return reply
      .header('content-security-policy', policy(nonce))
      .header('cache-control', 'no-store')
      .type('text/html; charset=utf-8')
      .send(page.replaceAll('__NONCE__', nonce));
  };
  for (const address of ['/', '/index.html']) app.get(address, (_, reply) => send(reply));
  app.setNotFoundHandler((request, reply) => {
    const wantsPage =
      request.method === 'GET' &&
      !request.url.startsWith('/api/') &&
      !/\.\w+$/.test(request.url.split('?')[0]!);
    if (wantsPage) return send(reply);
    return reply.code(404).type('application/problem+json').send({
      type: '/problems/not-found',
      title: 'There is no such thing here',
      status: 404,
      detail: 'There is nothing at this address.',
    });
  });
}
