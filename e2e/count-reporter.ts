import type { Reporter, TestCase, TestResult } from '@playwright/test/reporter';

/** Prints how many tests passed and failed, for the last line of the whole run. */
export default class CountReporter implements Reporter {
  private passed = 0;
  private failed = 0;

  onTestEnd(_: TestCase, { status }: TestResult): void {
    if (status === 'passed') this.passed++;
    else this.failed++;
  }

  onEnd(): void {
    process.stdout.write(`\n${this.passed} passed, ${this.failed} failed\n`);
  }
}
