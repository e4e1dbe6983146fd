import { createReadStream, statSync } from 'node:fs';
import { request } from 'node:http';

/** A file that is to be sent to an address. */
export interface Sending {
  readonly address: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** What was answered to it. */
export interface Sent {
  readonly status: number;
  readonly text: string;
}

process.on('message', ({ address, path, headers }: Sending) => {
  const done = (answer: Sent): void => {
    process.send?.(answer);
  };
  const sending = request(
    address,
    {
      method: 'POST',
      headers: {
        ...headers,
        'content-type': 'application/vnd.sqlite3',
        'content-length': statSync(path).size,
      },
    },
    (answer) => {
      let text = '';
      answer.setEncoding('utf8');
      answer.on('data', (part: string) => (text += part));
      answer.on('end', () => done({ status: answer.statusCode ?? 0, text }));
    },
  );
  sending.on('error', (error) => done({ status: 0, text: error.message }));
  // In large pieces: what sending costs is no part of the figure.
  createReadStream(path, { highWaterMark: 1024 * 1024 }).pipe(sending);
});
