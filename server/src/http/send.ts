import { createReadStream, rmSync } from 'node:fs';
import type { FastifyReply } from 'fastify';

/** Has a file made that is sent once; gives what the work gives. Where it cannot be made, what was begun of it goes. */
export async function madeAt<T>(path: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    rmSync(path, { force: true });
    throw error;
  }
}

/** Sends a file that was made for this answer alone, and takes it away. */
export function sendOnce(reply: FastifyReply, path: string): FastifyReply {
  const stream = createReadStream(path);
  // Once it is open its name can go: the bytes stay until it is closed. Where whoever asked has gone before that, too.
  for (const event of ['open', 'close']) stream.once(event, () => rmSync(path, { force: true }));
  return reply.send(stream);
}

/** Sends a file that was made for this answer alone, under a name, and takes it away. */
export const sendOut = (reply: FastifyReply, path: string, type: string, name: string): FastifyReply =>
  sendOnce(
    reply
      .type(type)
      .header('content-disposition', `attachment; filename*=UTF-8''${encodeURIComponent(name)}`),
    path,
  );
