import { ExpressionError } from '@heathridge/core/expression';
import { openForReading, type Connection } from '../store/driver';
import { runTask, TaskError, type Task } from './tasks';

/** What the pool sends, and what comes back. */
export interface JobMessage {
  readonly path: string;
  readonly task: Task;
}

export type JobReply =
  | { readonly ok: true; readonly result: unknown }
  | { readonly ok: false; readonly message: string; readonly sort: 'person' | 'defect' };

// A child process of the server: does one job after another, each on a connection of its own that can
// only read, and dies with its parent.
process.on('message', ({ path, task }: JobMessage) => {
  let db: Connection | undefined;
  Promise.resolve()
    .then(() => {
      db = openForReading(path);
      return runTask(db, task);
    })
    .then(
      (result): JobReply => ({ ok: true, result }),
      (error: Error): JobReply => ({
        ok: false,
        message: error.message,
        sort: error instanceof TaskError || error instanceof ExpressionError ? 'person' : 'defect',
      }),
    )
    .then((reply) => {
      db?.close();
      process.send?.(reply);
    });
});
process.on('disconnect', () => process.exit(0));
