process.env.CHROME_BIN = process.env.CHROME_BIN || '/usr/bin/chromium';

module.exports = (config) =>
  config.set({
    frameworks: ['jasmine'],
    plugins: [require('karma-jasmine'), require('karma-chrome-launcher'), require('./karma-count.cjs')],
    reporters: ['dots', 'count'],
    browsers: ['Headless'],
    customLaunchers: {
      Headless: {
        base: 'ChromeHeadless',
        flags: [
          '--no-sandbox',
          '--disable-gpu',
          '--disable-quic',
          '--no-first-run',
          '--disable-background-networking',
          '--disable-component-update',
          '--disable-sync',
        ],
      },
    },
    // The machines are shared: laying out 60 tables may take its time there.
    client: { jasmine: { random: false, failSpecWithNoExpectations: true, timeoutInterval: 60_000 } },
    browserNoActivityTimeout: 240000,
    restartOnFileChange: false,
  });
