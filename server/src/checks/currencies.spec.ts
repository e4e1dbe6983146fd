import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { minorUnits } from '@heathridge/core/plan';

describe('currencies', () => {
  it('have the minor units of ISO 4217, list one, as its maintenance agency publishes it', () => {
    const list = createRequire(import.meta.url).resolve('currency-codes/iso-4217-list-one.xml');
    const entries = [
      ...readFileSync(list, 'utf8').matchAll(
        /<Ccy>([A-Z]{3})<\/Ccy>[\s\S]*?<CcyMnrUnts>([^<]+)<\/CcyMnrUnts>/g,
      ),
    ];
    expect(entries.length).toBeGreaterThan(250);
    // Metals and codes for testing have none.
    for (const [, code, units] of entries)
      if (/^\d$/.test(units!)) expect(minorUnits(code!)).withContext(code!).toBe(Number(units));
  });
});
