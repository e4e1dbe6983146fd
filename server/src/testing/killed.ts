import { buildApp } from '../app';
import { applyDraft } from '../plan/apply-draft';
import { stillClock } from './office';

/**
 * A server of its own process that begins to apply a draft to the file in a folder, says so, and goes on
 * until it is killed.
 */
async function main(): Promise<void> {
  const [data, file] = process.argv.slice(2) as [string, string];
  const app = await buildApp({ data, clock: stillClock });
  const { files, jobs, clock } = app.context;
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
