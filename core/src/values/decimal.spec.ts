import fc from 'fast-check';
import {
  add,
  compare,
  decimal,
  divide,
  divideRounded,
  fromText,
  multiply,
  round,
  subtract,
  toText,
} from './decimal';

const d = (text: string) => fromText(text)!;

describe('decimal', () => {
  it('reads and writes decimal text without losing a place', () => {
    for (const text of ['0', '1', '-1', '12.50', '-0.05', '999999999999999.99', '0.000001']) {
      expect(toText(d(text))).toBe(text);
    }
  });

  it('refuses what is not a decimal', () => {
    for (const text of ['', '.', '-', '1e3', '1,5', '0x10', 'NaN', '1.2.3', '--1']) {
      expect(fromText(text)).withContext(text).toBeNull();
    }
  });

  it('adds without the error of binary floating point', () => {
    expect(toText(add(d('0.1'), d('0.2')))).toBe('0.3');
    expect(toText(subtract(d('1.00'), d('0.9')))).toBe('0.10');
    expect(toText(multiply(d('1.10'), d('1.1')))).toBe('1.210');
  });

  it('rounds half away from zero, as invoices do (common practice)', () => {
    const cases: [string, number, string][] = [
      ['1.005', 2, '1.01'],
      ['2.5', 0, '3'],
      ['-2.5', 0, '-3'],
      ['-2.4', 0, '-2'],
      ['0.4999', 0, '0'],
      ['1234.5678', 3, '1234.568'],
    ];
    for (const [text, places, expected] of cases) {
      expect(toText(round(d(text), places)))
        .withContext(text)
        .toBe(expected);
    }
  });

  it('divides with six more places than its operands', () => {
    expect(toText(divide(d('1'), d('3'))!)).toBe('0.333333');
    expect(toText(divide(d('10.00'), d('4'))!)).toBe('2.50000000');
    expect(toText(divide(d('-2'), d('3'))!)).toBe('-0.666667');
  });

  it('gives null for a division by zero', () => {
    expect(divide(d('1'), d('0'))).toBeNull();
    expect(() => divideRounded(1n, 0n)).toThrowError(RangeError);
  });

  it('compares values, not spellings', () => {
    expect(compare(d('1.10'), d('1.1'))).toBe(0);
    expect(compare(d('-3'), d('2.99'))).toBe(-1);
    expect(compare(d('2.991'), d('2.99'))).toBe(1);
  });

  it('keeps the laws of arithmetic', () => {
    const any = fc
      .tuple(fc.bigInt(-(10n ** 15n), 10n ** 15n), fc.integer({ min: 0, max: 6 }))
      .map(([units, scale]) => decimal(units, scale));
    fc.assert(
      fc.property(any, any, any, (a, b, c) => {
        expect(compare(add(a, b), add(b, a))).toBe(0);
        expect(compare(add(add(a, b), c), add(a, add(b, c)))).toBe(0);
        expect(compare(multiply(a, add(b, c)), add(multiply(a, b), multiply(a, c)))).toBe(0);
        expect(compare(subtract(add(a, b), b), a)).toBe(0);
      }),
      { numRuns: 300, seed: 20261130 },
    );
  });

  it('divides to within half a unit of the last place', () => {
    const any = fc.bigInt(-(10n ** 12n), 10n ** 12n);
    fc.assert(
      fc.property(
        any,
        any.filter((b) => b !== 0n),
        (a, b) => {
          const quotient = divideRounded(a, b);
          const miss = (a - quotient * b) * 2n;
          expect((miss < 0n ? -miss : miss) <= (b < 0n ? -b : b)).toBeTrue();
        },
      ),
      { numRuns: 300, seed: 20261130 },
    );
  });
});
