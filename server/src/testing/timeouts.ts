import '@heathridge/core/temporal';

// The machines that run these tests are shared: a slow minute is no failure.
jasmine.DEFAULT_TIMEOUT_INTERVAL = 120_000;
