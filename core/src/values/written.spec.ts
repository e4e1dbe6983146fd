import fc from 'fast-check';
import { convertValue, isAmbiguousDate, plainText } from './convert';
import { readValue, showValue, type Reading, type ValueKind } from './kinds';
import { BRITISH, type Locale } from './locale';

const reading = (locale: Partial<Locale> = {}): Reading => ({
  locale: { ...BRITISH, ...locale },
  today: '2026-11-25',
  written: true,
});

const read = (kind: ValueKind, text: string, locale: Partial<Locale> = {}): unknown => {
  const result = readValue(kind, text, reading(locale));
  return result.ok ? result.value : undefined;
};

const DECIMAL: ValueKind = { kind: 'decimal', places: 2 };
const EUROPEAN = { decimalMark: ',', groupMark: '.' } as const;

describe('values that stand somewhere already', () => {
  const written: [kind: ValueKind, text: string, value: unknown, locale?: Partial<Locale>][] = [
    [DECIMAL, '1,000.50', '1000.50'],
    [DECIMAL, '-1,234,567.8', '-1234567.80'],
    [DECIMAL, '1 000.50', '1000.50'],
    [DECIMAL, ' 12.5 ', '12.50'],
    [DECIMAL, '.5', '0.50'],
    [DECIMAL, '1.234,5', '1234.50', EUROPEAN],
    [DECIMAL, '1 234,5', '1234.50', { decimalMark: ',', groupMark: '’' }],
    [{ kind: 'money', places: 2 }, '£1,250.00', '1250.00'],
    [{ kind: 'money', places: 2 }, '-£3', '-3.00'],
    [{ kind: 'money', places: 2, currency: 'CHF' }, '3.10 CHF', '3.10'],
    [{ kind: 'wholeNumber', unit: 'cm' }, '40 cm', 40],
    [{ kind: 'date' }, '2026-11-04', '2026-11-04'],
    [{ kind: 'date' }, '4/11/2026', '2026-11-04'],
    [{ kind: 'date' }, '4.11.26', '2026-11-04'],
    [{ kind: 'date' }, '11/4/2026', '2026-11-04', { dateOrder: 'mdy' }],
    [{ kind: 'date' }, '4 Nov 2026', '2026-11-04'],
    [{ kind: 'date' }, '4th November 2026', '2026-11-04'],
    [{ kind: 'date' }, 'November 4, 2026', '2026-11-04'],
    [{ kind: 'date' }, 'Wed 4 November 2026', '2026-11-04'],
    [{ kind: 'time' }, '9:05', '09:05:00'],
    [{ kind: 'time' }, '2 pm', '14:00:00'],
    [{ kind: 'dateTime' }, '4 Nov 2026 14:30', '2026-11-04T14:30:00Z'],
    [{ kind: 'dateTime' }, '2026-11-04T14:30:00Z', '2026-11-04T14:30:00Z'],
  ];
  for (const [kind, text, value, locale] of written)
    it(`are read where they are written out: ${kind.kind} ${text}`, () =>
      expect(read(kind, text, locale)).toEqual(value));

  const unwritten: [kind: ValueKind, text: string, locale?: Partial<Locale>][] = [
    [DECIMAL, '1,00'],
    [DECIMAL, '12\n13'],
    [DECIMAL, '12 13'],
    [DECIMAL, '1,0000'],
    [DECIMAL, '10,00.5'],
    [DECIMAL, '1.00', EUROPEAN],
    [DECIMAL, '1.5', EUROPEAN],
    [DECIMAL, '12 £ 13'],
    [DECIMAL, '££5'],
    [{ kind: 'wholeNumber' }, '1,5'],
    [{ kind: 'date' }, '1'],
    [{ kind: 'date' }, '+7'],
    [{ kind: 'date' }, 'today'],
    [{ kind: 'date' }, 'fri'],
    [{ kind: 'date' }, '4 nov'],
    [{ kind: 'date' }, '4/11'],
    [{ kind: 'date' }, '4/11-2026'],
    [{ kind: 'date' }, '4\n11\n2026'],
    [{ kind: 'time' }, '9'],
    [{ kind: 'time' }, '930'],
    [{ kind: 'dateTime' }, 'today 9:15'],
    [{ kind: 'dateTime' }, '4 nov 9:15'],
  ];
  for (const [kind, text, locale] of unwritten)
    it(`are refused where that is only typing: ${kind.kind} ${JSON.stringify(text)}`, () =>
      expect(read(kind, text, locale)).toBeUndefined());

  const LOCALES: Locale[] = [
    BRITISH,
    { ...BRITISH, ...EUROPEAN, currency: '€', dateOrder: 'dmy' },
    { ...BRITISH, currency: 'USD', dateOrder: 'mdy', timeZone: 'America/New_York' },
    { ...BRITISH, decimalMark: ',', groupMark: ' ', dateOrder: 'ymd', timeZone: 'Europe/London' },
    { ...BRITISH, groupMark: '’', currency: 'CHF', timeZone: 'Asia/Kathmandu' },
  ];

  it('are read again as every office shows them', () => {
    const units = fc.bigInt({ min: -999_999_999_999n, max: 999_999_999_999n });
    const days = fc.integer({ min: -1_000_000, max: 5_000_000 });
    fc.assert(
      fc.property(fc.constantFrom(...LOCALES), units, days, (locale, unit, day) => {
        const sign = unit < 0n ? '-' : '';
        const digits = (unit < 0n ? -unit : unit).toString().padStart(3, '0');
        const amount = `${sign}${digits.slice(0, -2)}.${digits.slice(-2)}`.replace(/^-(0\.00)$/, '$1');
        for (const kind of [DECIMAL, { kind: 'money', places: 2 } as const])
          expect(read(kind, showValue(kind, amount, locale), locale)).toBe(amount);
        const date = new Date(day * 86_400_000).toISOString().slice(0, 10);
        if (!/^\d{4}-/.test(date)) return;
        for (const style of ['short', 'long', 'numbers', 'iso'] as const)
          expect(read({ kind: 'date' }, showValue({ kind: 'date', style }, date, locale), locale))
            .withContext(`${date} ${style} ${locale.dateOrder}`)
            .toBe(date);
      }),
      { numRuns: 400, seed: 20261126 },
    );
  });

  it('are the same again by way of a text, to the second and in the hour that a night has twice', () => {
    const zone = (timeZone: string): Reading => reading({ timeZone });
    for (const [timeZone, moment, text] of [
      ['Europe/London', '2026-10-25T00:30:00Z', '2026-10-25 01:30'],
      ['Europe/London', '2026-10-25T01:30:00Z', '2026-10-25T01:30:00Z'],
      ['America/New_York', '2026-11-01T06:15:07Z', '2026-11-01T06:15:07Z'],
      ['UTC', '2026-11-01T06:15:07Z', '2026-11-01 06:15:07'],
      ['UTC', '2026-11-01T06:15:00Z', '2026-11-01 06:15'],
    ] as const) {
      const kind: ValueKind = { kind: 'dateTime' };
      expect(plainText(kind, moment, zone(timeZone))).toBe(text);
      const back = convertValue({ kind: 'text' }, kind, text, zone(timeZone));
      expect(back).toEqual({ ok: true, value: moment });
      expect(convertValue(kind, kind, moment, zone(timeZone))).toEqual({ ok: true, value: moment });
    }
    expect(plainText({ kind: 'time' }, '09:05:07', zone('UTC'))).toBe('09:05:07');
  });

  it('are two dates only where they are one in each order', () => {
    expect(isAmbiguousDate('3/4/2026', reading())).toBeTrue();
    expect(isAmbiguousDate('3/14/2026', reading())).toBeFalse();
    expect(isAmbiguousDate('3/4', reading())).toBeFalse();
  });
});
