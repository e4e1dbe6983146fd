// Prints how many specs passed and failed, for the last line of the whole run.
function CountReporter() {
  this.onRunComplete = (_, results) => {
    process.stdout.write(
      `\n${results.success} passed, ${results.failed + (results.error && results.failed === 0 ? 1 : 0)} failed\n`,
    );
  };
}
module.exports = { 'reporter:count': ['type', CountReporter] };
