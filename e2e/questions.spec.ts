import { expect, test } from './office';
import { first, Sentence } from './sentence';

/** Those that are saved are shown right by DuckDB: what is put together by hand gives the same. */
test('the other questions of a hire office are put together by hand too', async ({ office, page }) => {
  test.slow();
  // As high as the longest of them: a result makes only those rows that are to be seen.
  await page.setViewportSize({ width: 1280, height: 15_000 });
  await office.signIn('Mara Ashdown');
  await office.openDemo();
  await office.stage('Query');
  const by = new Sentence(office);
  /** What stands there now is what stands in the saved one, in its first columns, in any order. */
  const same = async (saved: readonly string[], columns: number): Promise<void> => {
    const wanted = first(saved, columns).sort();
    await expect.poll(async () => first(await by.rows(), columns).sort()).toEqual(wanted);
    await expect(page.getByRole('heading', { name: 'Where the rows go' })).toBeVisible();
  };

  // Which instruments nobody has hired.
  const never = await by.saved('Instruments never hired');
  await by.begin('Never, by hand', 'Instrument');
  await by.chip('+ keep rows where…').click();
  await office.choose(by.panel.getByLabel('Keep rows where'), 'has no hires');
  await by.panel.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(by.words).toContainText('has no hires');
  for (const [i, field] of ['Asset number', 'Kind', 'Bought on', 'Value'].entries())
    await by.pick(i === 0 ? '+ only…' : '+ and…', field);
  await same(never, 4);
  await by.save('Never, by hand');
  await by.discard('Never, by hand');

  // Who can mend brass and has nothing open.
  const brass = await by.saved('Free to mend brass');
  await by.begin('Brass, by hand', 'Technician');
  await by.keepWith('+ keep rows where…', 'has skills', 'family › Name', 'is', 'Brass');
  await by.keepWith('+ and…', 'has no repairs', 'Done on', 'is empty');
  await by.pick('+ only…', 'Name');
  await same(brass, 1);
  await by.save('Brass, by hand');
  await by.discard('Brass, by hand');

  // Takings by month and method.
  const takings = await by.saved('Takings by month and method');
  const group = async (chip: string, field: string, months = false): Promise<void> => {
    await by.pick(chip, field);
    if (!months) return;
    await by.at(field.toLowerCase(), () => office.choose(by.panel.getByLabel('In steps of a'), 'month'));
  };
  await by.begin('Takings, by hand', 'Payment');
  await group('+ group by…', 'Paid on', true);
  await group('+ and by…', 'Method');
  await by.pick('+ and the…', 'sum of Amount');
  // The number of payments stands there by itself; in the saved one it comes behind the sum.
  await expect
    .poll(async () =>
      (await by.rows())
        .map((row) => row.split(' | '))
        .map(([month, method, count, sum]) => [month, method, sum, count].join(' | '))
        .sort(),
    )
    .toEqual(first(takings, 4).sort());
  await by.save('Takings, by hand');

  // The same against the year before: a query beside itself, by a condition.
  const years = await by.saved('Takings against last year');
  await by.begin('Years, by hand', 'rows of another query: Takings, by hand');
  await by.beside('takings by month and method', async () => {
    await by.panel.getByRole('button', { name: 'By a condition instead…' }).click();
    await by.panel.getByLabel('Called in conditions and columns').fill('before');
    await by.panel.getByLabel('Called in conditions and columns').press('Tab');
    await office.write(
      'Which rows belong together',
      "before.month = paid_on - INTERVAL '12' MONTH AND before.method = method",
    );
  });
  await by.chip('+ keep rows where…').click();
  await office.choose(by.panel.getByLabel('Keep rows where'), 'Method');
  await office.choose(by.panel.getByLabel('how', { exact: true }), 'is filled');
  await by.panel.getByRole('button', { name: 'Add', exact: true }).click();
  await by.chip('method is filled').click();
  await office.write('Condition', "paid_on > CURRENT_DATE - INTERVAL '13' MONTH");
  await by.pick('+ only…', 'Paid on');
  await by.pick('+ and…', 'Method');
  await by.pick('+ and…', 'Sum of amount');
  await by.column('+ and…', 'A year before', 'before.takings');
  await by.column('+ and…', 'More or less', 'sum_of_amount - COALESCE(before.takings, 0)');
  await same(years, 5);
  await by.save('Years, by hand');
  await by.discard('Years, by hand');
  await by.saved('Takings, by hand');
  await by.discard('Takings, by hand');

  // What repairs cost for each month on hire, kind by kind.
  const perMonth = await by.saved('Repair cost per month on hire');
  await by.begin('Per month, by hand', 'rows of another query: Repair cost by kind');
  await by.beside('days on hire by kind');
  await by.pick('+ only…', 'Kind');
  await by.pick('+ and…', 'Cost');
  await by.column('+ and…', 'Months', 'ROUND(days_on_hire_by_kind.days / 30.4375, 1)');
  await by.column('+ and…', 'Each', 'ROUND(cost / NULLIF(days_on_hire_by_kind.days / 30.4375, 0), 2)');
  await same(perMonth, 4);
  await by.save('Per month, by hand');
  await by.discard('Per month, by hand');

  // Which instruments cost more than they bring.
  const costly = await by.saved('Cost more than they bring');
  await by.begin('Costly, by hand', 'rows of another query: Repair cost by instrument');
  await by.beside('fees by instrument', async () => {
    await by.panel.getByRole('button', { name: 'By a condition instead…' }).click();
    await office.write('Which rows belong together', 'fees_by_instrument.instrument = instrument');
  });
  await by.keep('+ keep rows where…', 'Repair cost', 'is filled');
  await by.chip('repair cost is filled').click();
  await office.write('Condition', 'repair_cost > COALESCE(fees_by_instrument.fees, 0)');
  await by.pick('+ only…', 'Instrument');
  await by.pick('+ and…', 'Repair cost');
  await by.column('+ and…', 'Brought', 'COALESCE(fees_by_instrument.fees, 0)');
  await same(costly, 3);
  await by.save('Costly, by hand');
  await by.discard('Costly, by hand');

  // Which parts run low and were used within a year.
  const order = await by.saved('Parts to order');
  await by.begin('Low, by hand', 'Part');
  await by.keep('+ keep rows where…', 'In stock', 'is less than', '5');
  await by.keepWith('+ and…', 'has repair lines', 'repair › Brought in', 'is filled');
  await by.chip(/^has repair lines/).click();
  await office.write(
    'Condition',
    "COUNT(repair_lines) FILTER (WHERE repair_lines.repair.brought_in > CURRENT_DATE - INTERVAL '12' MONTH) > 0",
  );
  await by.pick('+ only…', 'Name');
  await by.pick('+ and…', 'In stock');
  await same(order, 2);
  await by.save('Low, by hand');
  await by.discard('Low, by hand');

  // How many hires were begun each month, and against the month before.
  const begun = await by.saved('Hires begun by month');
  await by.begin('Begun, by hand', 'Hire');
  await group('+ group by…', 'Hired on', true);
  await by.pick('+ and the…', 'count of hires');
  await expect(by.chip('count of hires')).toHaveCount(2);
  await by.at('count of hires', () =>
    office.choose(by.panel.getByLabel('Work out the'), 'change to the one before'),
  );
  await same(begun, 3);
  await page.getByRole('radio', { name: 'Chart', exact: true }).click();
  await expect(page.getByRole('application')).toHaveAccessibleName(/^Begun, by hand/);
  await by.save('Begun, by hand');
  await by.discard('Begun, by hand');
});
