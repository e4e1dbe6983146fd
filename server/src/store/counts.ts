import { sqlName } from '@heathridge/core/expression';
import type { OpenFile } from './files';

/** The rows of each table, by its id. */
export const counts = ({ design, reader }: OpenFile): Record<string, number> =>
  Object.fromEntries(
    design.tables.map(({ id, name }) => [
      id,
      (
        reader
          .prepare(`SELECT count(*) FROM ${sqlName(name)}`)
          .raw()
          .get() as [number]
      )[0],
    ]),
  );
