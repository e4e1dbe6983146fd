import type { Reporter, TestCase, TestResult } from '@playwright/test/reporter';

/** Names each test that failed with what it said, and prints how many passed and failed, for the end of the whole run. */
export default class CountReporter implements Reporter {
  private passed = 0;
  private readonly failed: string[] = [];

  onTestEnd(test: TestCase, { status, errors }: TestResult): void {
    if (status === 'passed') this.passed++;
    else
      this.failed.push(
        [test.titlePath().join(' '), status, ...errors.map(({ stack, message }) => stack ?? message)].join(
          '\n',
        ),
      );
  }

  onEnd(): void {
    if (this.failed.length > 0)
      process.stdout.write(
        `\nFailures:\n${this.failed.map((text, at) => `${String(at + 1)}) ${text}`).join('\n')}\n`,
      );
    process.stdout.write(`\n${String(this.passed)} passed, ${String(this.failed.length)} failed\n`);
  }
}
