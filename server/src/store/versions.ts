import type { Connection } from './driver';
import { prepared } from './statements';

/** The design of a file is another than the one some work was prepared by: it must be read again. */
export class DesignMoved extends Error {
  constructor() {
    super('The design has changed meanwhile.');
  }
}

/** Changes with every commit of any other connection to the file. */
export const dataVersion = (reader: Connection): number =>
  (prepared(reader, 'PRAGMA data_version').get() as [number])[0];

/** The version of the design as the file has it; within a transaction it stays that until its end. */
export const storedVersion = (db: Connection): number =>
  (prepared(db, 'SELECT coalesce(max(version), 0) FROM hr_change').get() as [number])[0];
