import { expect, type Locator } from '@playwright/test';
import type { OfficePage } from './office';

/** A query as somebody puts it together: part by part, by what is written on the page. */
export class Sentence {
  readonly words: Locator;
  readonly result: Locator;
  readonly panel: Locator;
  /** How many rows the result has. */
  readonly counted: Locator;
  private readonly queries: Locator;

  constructor(private readonly office: OfficePage) {
    const { page } = office;
    this.queries = page.getByRole('navigation', { name: 'Queries' });
    this.words = page.getByRole('group', { name: 'The query as a sentence' });
    this.result = page.getByRole('region', { name: 'Result' });
    this.panel = page.getByRole('dialog');
    this.counted = page.getByRole('status').filter({ hasText: /^[\d,]+ rows?$/ });
  }

  async begin(name: string, from: string): Promise<void> {
    const { office } = this;
    await office.button('New query').first().click();
    await office.field('What is it called?').fill(name);
    await office.choose(office.page.getByLabel('Take every'), from);
    await office.button('Begin').click();
    await expect(office.page.getByRole('textbox', { name: 'Name of the query' })).toHaveValue(name);
    await expect(this.words).toContainText('Take every');
  }

  chip(name: RegExp | string): Locator {
    return this.words.getByRole('button', { name, exact: typeof name === 'string' });
  }

  /** Opens a chip, does something in its panel, and closes it. */
  async at(chip: RegExp | string, act: () => Promise<void>): Promise<void> {
    await this.chip(chip).last().click();
    await act();
    const done = this.panel.getByRole('button', { name: 'Done' });
    if (await done.isVisible()) await done.click();
    else await this.office.page.keyboard.press('Escape');
    await expect(this.panel).toHaveCount(0);
  }

  /** A condition from a field and a shape, with its value where it has one. */
  async keep(chip: string, field: string, how: string, value?: string): Promise<void> {
    await this.chip(chip).first().click();
    await this.compose('Keep rows where', field, how, value);
    await this.panel.getByRole('button', { name: 'Add', exact: true }).click();
    await expect(this.panel).toHaveCount(0);
  }

  /** Whether there are any rows that lead to it, or none, of those that meet something. */
  async keepWith(chip: string, rows: string, field: string, how: string, value?: string): Promise<void> {
    const { panel } = this;
    await this.chip(chip).first().click();
    await this.office.choose(panel.getByLabel('Keep rows where'), rows);
    await panel.getByRole('button', { name: 'Only those where…' }).click();
    const label = `of ${rows.replace(/^has (no )?/, '')} only those where`;
    await this.compose(label, field, how, value);
    await panel.getByRole('button', { name: 'Only those', exact: true }).click();
    await panel.getByRole('button', { name: 'Add', exact: true }).click();
    await expect(panel).toHaveCount(0);
  }

  private async compose(label: string, field: string, how: string, value?: string): Promise<void> {
    const { panel, office } = this;
    await office.choose(panel.getByLabel(label, { exact: true }), field);
    await office.choose(panel.getByLabel('how', { exact: true }), how);
    if (value === undefined) return;
    await panel.getByLabel('Value', { exact: true }).fill(value);
    await panel.getByLabel('Value', { exact: true }).press('Tab');
  }

  /**
   * Picks something out of the list of a chip, and waits until the sentence says so: Escape closes
   * the panel at once, and until the words are drawn the last "and…" is another part's.
   */
  async pick(chip: string, item: string): Promise<void> {
    const before = await this.words.textContent();
    await this.chip(chip).last().click();
    await this.panel.getByRole('button', { name: item, exact: true }).click();
    await expect.poll(() => this.words.textContent()).not.toBe(before);
    await this.office.page.keyboard.press('Escape');
    await expect(this.panel).toHaveCount(0);
  }

  /** Rows put beside by an equal text: its panel opens, in which something may be done. */
  async beside(name: string, act: () => Promise<void> = () => Promise.resolve()): Promise<void> {
    const { panel } = this;
    await this.chip('+ with its…').click();
    await panel.getByRole('button', { name: `with an equal text: ${name}`, exact: true }).click();
    await expect(panel.getByRole('button', { name: 'By a condition instead…' })).toBeVisible();
    await act();
    const done = panel.getByRole('button', { name: 'Done' });
    if (await done.isVisible()) await done.click();
    await expect(panel).toHaveCount(0);
  }

  /** A column that is worked out. */
  async column(chip: string, heading: string, expression: string): Promise<void> {
    const { panel, office } = this;
    await this.chip(chip).last().click();
    await panel.getByRole('button', { name: 'Worked out…' }).click();
    await expect(panel.getByLabel('Heading')).toBeVisible();
    await panel.getByLabel('Heading').fill(heading);
    await panel.getByLabel('Heading').press('Tab');
    await office.write('Column', expression);
    await expect(panel).toHaveCount(0);
  }

  /** The rows of the result, their cells with a bar between. */
  rows(): Promise<string[]> {
    return this.result
      .getByRole('row')
      .evaluateAll((all) =>
        all
          .slice(1)
          .map((row) =>
            Array.from(row.querySelectorAll('td'), (cell) => cell.textContent.trim()).join(' | '),
          ),
      );
  }

  /** Opens a saved query, and gives its rows. */
  async saved(name: string): Promise<string[]> {
    const { page } = this.office;
    await this.queries.getByRole('button', { name, exact: true }).click();
    await expect(page.getByRole('textbox', { name: 'Name of the query' })).toHaveValue(name);
    await page.getByRole('radio', { name: 'Rows', exact: true }).click();
    await expect(this.result.getByRole('row').nth(1)).toBeVisible();
    await expect(page.getByText('counting …')).toHaveCount(0);
    return this.rows();
  }

  async save(name: string): Promise<void> {
    await this.office.button('Save query').click();
    await this.office.said(`${name} is saved`);
  }

  async discard(name: string): Promise<void> {
    await this.office.button('Drop').click();
    await this.panel.getByRole('button', { name: /^Drop/ }).click();
    // What is opened before that would be left again.
    await this.office.said(`${name} is dropped`);
  }
}

/** The first columns of rows alone. */
export const first = (rows: readonly string[], columns: number): string[] =>
  rows.map((row) => row.split(' | ').slice(0, columns).join(' | '));
