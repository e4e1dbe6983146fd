import { buildApp } from '../app';
import { applyDraft } from '../plan/apply-draft';
import { stillClock } from './office';

/**
 * A server of its own process that begins to apply a draft to the file in a folder (or, with a third word, to read in
 * it for ever), says so, and goes on until it is killed. Of a read it says which process does it.
 */
async function main(): Promise<void> {
  const [data, file, reads] = process.argv.slice(2) as [string, string, string?];
  const app = await buildApp({ data, clock: stillClock });
  const { files, jobs, clock } = app.context;
  if (reads !== undefined) {
    const { path, design } = files.get(file);
    const sql =
      'WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000000000) SELECT count(*) FROM n';
    void jobs.run(path, { task: 'anchors', version: design.version, columns: 1, sql }, { limit: 600_000 });
    // Long enough for it to be within its one statement.
    setTimeout(() => process.stdout.write([...jobs['alive']].map(({ pid }) => pid).join(' ')), 3000);
    return;
  }
  const design = files.get(file).design;
  const field = design.tables
    .find(({ id }) => id === 't_school')!
    .fields.find(({ id }) => id === 'f_schoolName')!;
  await applyDraft(
    files,
    jobs,
    file,
    design.version,
    [
      {
        change: 'addField',
        table: 't_school',
        field: {
          ...field,
          id: 'f_schoolExtra',
          name: 'extra',
          label: 'Extra',
          alwaysFilled: false,
          noTwoAlike: false,
          indexed: true,
        },
      },
    ],
    'Mara',
    clock,
    { tell: () => process.stdout.write('working\n') },
  );
  setInterval(() => undefined, 1000);
}

void main();
