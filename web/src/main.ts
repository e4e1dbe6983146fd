import { bootstrapApplication } from '@angular/platform-browser';
import { AppComponent } from './app/app.component';
import { appConfig } from './app/app.config';

/** What browsers without the standard calendar need is read by them alone. */
const calendar = (): Promise<unknown> =>
  'Temporal' in globalThis ? Promise.resolve() : import('@heathridge/core/temporal');

const start = async (): Promise<unknown> => {
  await calendar();
  return bootstrapApplication(AppComponent, appConfig);
};

start().catch((error: unknown) => {
  document.body.textContent = 'Heathridge could not start. Please load the page again.';
  throw error;
});
