// Names each spec that failed with what it said, and prints how many passed and failed, for the end of the whole run.
function CountReporter() {
  const failed = [];
  this.onSpecComplete = (browser, spec) => {
    if (!spec.success && !spec.skipped)
      failed.push(`${[...spec.suite, spec.description].join(' ')}\n${spec.log.join('\n')}`);
  };
  this.onBrowserError = (browser, error) => {
    failed.push(`${browser.name}: ${error && error.message ? error.message : String(error)}`);
  };
  this.onRunComplete = (_, results) => {
    if (failed.length > 0)
      process.stdout.write(`\nFailures:\n${failed.map((text, at) => `${at + 1}) ${text}`).join('\n')}\n`);
    process.stdout.write(
      `\n${results.success} passed, ${results.failed + (results.error && results.failed === 0 ? 1 : 0)} failed\n`,
    );
  };
}
module.exports = { 'reporter:count': ['type', CountReporter] };
