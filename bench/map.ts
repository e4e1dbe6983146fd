import type { Change } from '@heathridge/core/change';
import { plainField, plainTable, type FieldType } from '@heathridge/core/design';
import { visit, type Visit } from './browser';
import { noteFrames, slowFrame } from './frames';

const MANY = 100;
const FEW = 10;
const MOVES = 90;

/** Tables in a tree, each with a second link across it. */
function tables(count: number): Change[] {
  return Array.from({ length: count }, (_, i): Change => {
    const to = (parent: number): FieldType => ({
      kind: 'lookup',
      table: `t_${parent}`,
      shows: null,
      onDelete: 'refuse',
    });
    const fields = [
      plainField(`f_${i}no`, 'number', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
      plainField(`f_${i}name`, 'name', 'Name', { kind: 'text', most: 40 }),
      ...(i > 0 ? [plainField(`f_${i}a`, 'belongs_to', 'Belongs to', to(Math.floor((i - 1) / 3)))] : []),
      ...(i > 4 ? [plainField(`f_${i}b`, 'see_also', 'See also', to(i - 4))] : []),
    ];
    const table = plainTable(`t_${i}`, `table_${i}`, `Table ${i}`, `Tables ${i}`, fields);
    return { change: 'addTable', table };
  });
}

/** Milliseconds between frames, that of 19 in 20, while a card is dragged over the map. */
async function framesOf({ page, url, send }: Visit, count: number): Promise<number> {
  const file = ((await send('files', { name: `Map of ${count}` })) as { id: string }).id;
  await send(`files/${file}/draft/apply`, { base: 0, changes: tables(count) });
  await page.goto(`${url}/file/${file}`);
  const card = page.locator('[data-table="t_0"] .face');
  await card.waitFor();
  // The layout of many tables comes from a worker.
  await page.waitForTimeout(4000);
  const box = (await card.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await noteFrames(page);
  for (let i = 0; i < MOVES; i++)
    await page.mouse.move(300 + 200 * Math.sin(i / 9), 420 + 200 * Math.cos(i / 7));
  const slow = await slowFrame(page);
  await page.mouse.up();
  return slow;
}

/** How a map of 100 tables follows the pointer, to one of 10. */
export function mapFrames(): Promise<{ ours: number; theirs: number }> {
  return visit(async (at) => {
    const theirs = await framesOf(at, FEW);
    const ours = await framesOf(at, MANY);
    return { ours, theirs };
  });
}
