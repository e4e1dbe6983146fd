import { test as base, expect, type Locator, type Page } from '@playwright/test';
import { startServer } from '../scripts/browser.mjs';

type Server = Awaited<ReturnType<typeof startServer>>;

/** One server with the demo in it; tests that follow each other find what earlier ones wrote. */
export const test = base.extend<{ office: OfficePage }, { server: Server }>({
  server: [
    // Playwright reads what a fixture needs from this pattern.
    // eslint-disable-next-line no-empty-pattern
    async ({}, use) => {
      const server = await startServer();
      await use(server);
      await server.stop();
    },
    { scope: 'worker' },
  ],
  office: async ({ page, server }, use) => {
    const problems: string[] = [];
    page.on('pageerror', (error) => problems.push(error.message));
    page.on('console', (message) => {
      // A refused save is a 4xx by design, and the browser notes it.
      if (message.type() === 'error' && !/status of 4\d\d/.test(message.text()))
        problems.push(message.text());
    });
    const office = new OfficePage(page, server.url);
    await use(office);
    expect(problems.filter((text) => !office.expected?.test(text))).toEqual([]);
  },
});

export { expect };

/** The application as a person knows it: by names and roles, never by markup. */
export class OfficePage {
  /** What the browser may note in this test, because the test brings it about. */
  expected: RegExp | null = null;

  constructor(
    readonly page: Page,
    readonly url: string,
  ) {}

  async signIn(name: 'Mara Ashdown' | 'Tobin Leck'): Promise<void> {
    await this.page.goto(this.url);
    await this.page.getByRole('button', { name }).click();
    await expect(this.page.getByRole('heading', { name: 'Files' })).toBeVisible();
  }

  async stage(name: 'Plan' | 'Fill' | 'Query' | 'Screens' | 'Print' | 'People'): Promise<void> {
    await this.page.getByRole('navigation', { name: 'Stages' }).getByRole('link', { name }).click();
  }

  async openDemo(): Promise<void> {
    await this.page.getByRole('link', { name: 'Quillbrook hire', exact: true }).click();
  }

  /** Signs the builder in, and opens the rows of a table of the demo. */
  async fillDemo(table: string): Promise<void> {
    await this.signIn('Mara Ashdown');
    await this.openDemo();
    await this.stage('Fill');
    await this.page.getByRole('button', { name: new RegExp(`^${table}`) }).click();
  }

  async openDemoDesk(screen: string): Promise<void> {
    await this.page.getByRole('link', { name: 'Open the Desk of Quillbrook hire' }).click();
    await this.page.getByRole('tab', { name: screen }).click();
    await expect(this.page.getByRole('status').filter({ hasText: ' of ' })).toBeVisible();
  }

  /** A button by its whole name, or by a pattern where a key stands behind it. */
  button(name: string | RegExp): Locator {
    return this.page.getByRole('button', { name, exact: typeof name === 'string' });
  }

  /** The first field with this name, whatever its kind. */
  field(name: string | RegExp): Locator {
    const { page } = this;
    return page.getByRole('textbox', { name }).or(page.getByRole('combobox', { name })).first();
  }

  /** Types part of what a lookup shows and takes the first choice. */
  async look(field: Locator, text: string, choice: string | RegExp): Promise<void> {
    await field.click();
    await field.fill(text);
    await this.page.getByRole('option', { name: choice }).first().click();
  }

  /** Opens a list of choices and takes one. */
  async choose(field: Locator, option: string): Promise<void> {
    await field.click();
    await this.page.getByRole('option', { name: option, exact: true }).click();
  }

  async said(text: string | RegExp): Promise<void> {
    await expect(this.page.locator('mat-snack-bar-container').filter({ hasText: text }).last()).toBeVisible();
  }

  /** Types into an expression editor. */
  async write(label: string, text: string): Promise<void> {
    const editor = this.page.getByLabel(label, { exact: true }).last();
    await editor.click();
    await this.page.keyboard.press('ControlOrMeta+a');
    // Nothing typed would leave what was there before.
    if (text === '') await this.page.keyboard.press('Delete');
    else await this.page.keyboard.type(text);
    // Nothing of it is lost, however fast it was typed.
    await expect(editor).toHaveText(text);
    await this.page.keyboard.press('Escape');
  }
}
