import { BRITISH, type Locale } from './locale';
import { readDate } from './read-date';
import { checkValue, editText, readValue, showValue, type Value, type ValueKind } from './kinds';

const GERMAN: Locale = { decimalMark: ',', groupMark: '.', currency: 'EUR', dateOrder: 'dmy' };
// A Wednesday.
const reading = { locale: BRITISH, today: '2026-11-25' };

const MONEY: ValueKind = { kind: 'money', places: 2 };

function value(kind: ValueKind, text: string, locale = BRITISH): Value {
  const read = readValue(kind, text, { locale, today: reading.today });
  if (!read.ok) throw new Error(read.message);
  return read.value;
}

function refusal(kind: ValueKind, text: string): string {
  const read = readValue(kind, text, reading);
  if (read.ok) throw new Error(`“${text}” was taken as ${String(read.value)}`);
  return read.message;
}

describe('reading what people type', () => {
  it('takes blank as empty, except for a tick', () => {
    for (const kind of ['text', 'longText', 'wholeNumber', 'date', 'lookup'] as const) {
      expect(value({ kind }, '  ')).withContext(kind).toBeNull();
    }
    expect(value({ kind: 'tick' }, '')).toBe(false);
  });

  it('reads money with grouping, currency and either mark', () => {
    expect(value(MONEY, '£1,234.5')).toBe('1234.50');
    expect(value(MONEY, '12')).toBe('12.00');
    expect(value(MONEY, '-0.05')).toBe('-0.05');
    expect(value(MONEY, '−3')).toBe('-3.00');
    expect(value(MONEY, '1.234,50 EUR', GERMAN)).toBe('1234.50');
  });

  it('asks what is meant where marks stand in other places than between thousands', () => {
    const asked: [text: string, message: string, locale?: Locale][] = [
      ['12,5', '“12,5” can be read in two ways: 12.5 or 125? Write the one that is meant.'],
      ['1,00', '“1,00” can be read in two ways: 1.00 or 100? Write the one that is meant.'],
      ['£12,5', '“£12,5” can be read in two ways: 12.5 or 125? Write the one that is meant.'],
      ['-0,5', '“-0,5” can be read in two ways: -0.5 or -5? Write the one that is meant.'],
      [
        '1234,567',
        '“1234,567” can be read in two ways: 1,234.567 or 1,234,567? Write the one that is meant.',
      ],
      ['12.5', '“12.5” can be read in two ways: 12,5 or 125? Write the one that is meant.', GERMAN],
      ['1,2,3', '“1,2,3” has its marks in other places than numbers have: is 123 meant?'],
      ['1 2', '“1 2” has its marks in other places than numbers have: is 12 meant?'],
      ['1.234,56', '“1.234,56” has its marks in other places than numbers have: is 1,234.56 meant?'],
      ['1,234.56', '“1,234.56” has its marks in other places than numbers have: is 1.234,56 meant?', GERMAN],
      ['12,', '“12,” is not a number.'],
      ['1,,2', '“1,,2” is not a number.'],
    ];
    for (const [text, message, locale] of asked) {
      const { message: said } = readValue(MONEY, text, { locale: locale ?? BRITISH, today: '' }) as {
        message: string;
      };
      expect(said).withContext(text).toBe(message);
    }
    for (const text of ['- 5', '+ 5', '£ 5', '5 £', '1 234', '1,234', '1234', '.5', '5.'])
      expect(readValue(MONEY, text, { locale: BRITISH, today: '' }).ok)
        .withContext(text)
        .toBeTrue();
  });

  it('takes no digits together that a mark parts, but for thousands', () => {
    /** What a text is as a number, by the letter: digits, in threes behind one sort of mark, and decimals. */
    const expected = (text: string, { decimalMark, groupMark }: Locale): string | null => {
      const parts = text.trim().split(decimalMark);
      const [whole = '', decimals = ''] = parts;
      if (parts.length > 2 || /\D/.test(decimals) || whole + decimals === '') return null;
      for (const mark of ['', groupMark, ' ']) {
        const groups = mark === '' ? [whole] : whole.split(mark);
        const isRight =
          groups.every((group) => /^\d*$/.test(group)) &&
          (groups.length === 1 ||
            (/^\d{1,3}$/.test(groups[0]!) && groups.slice(1).every((group) => group.length === 3)));
        if (isRight) return `${groups.join('') || '0'}.${decimals}`;
      }
      return null;
    };
    let [taken, refused] = [0, 0];
    for (const locale of [BRITISH, GERMAN])
      for (let n = 0; n < 5 ** 7; n++) {
        const text = [...(n + 5 ** 7).toString(5).slice(-7)].map((digit) => '10,. '[Number(digit)]).join('');
        if (text.trim() === '') continue;
        const read = readValue({ kind: 'decimal', places: 8 }, text, { locale, today: '' });
        const wanted = expected(text, locale);
        if (read.ok !== (wanted !== null) || (read.ok && Number(read.value) !== Number(wanted)))
          fail(`“${text}” is read as ${JSON.stringify(read)} and is ${wanted}`);
        if (read.ok) taken++;
        else refused++;
      }
    expect(Math.min(taken, refused)).toBeGreaterThan(1000);
  });

  it('never rounds what was typed', () => {
    expect(refusal(MONEY, '1.005')).toContain('more than 2 decimal places');
    expect(refusal({ kind: 'wholeNumber' }, '2.5')).toContain('not a whole number');
    expect(value(MONEY, '1.500')).toBe('1.50');
  });

  it('refuses numbers beyond 15 digits, which JSON and SQL would not keep exactly', () => {
    expect(value({ kind: 'wholeNumber' }, '999,999,999,999,999')).toBe(999_999_999_999_999);
    expect(refusal({ kind: 'wholeNumber' }, '1000000000000000')).toContain('too large');
    expect(refusal(MONEY, '10000000000000.00')).toContain('too large');
  });

  it('says what was typed when it refuses', () => {
    expect(refusal({ kind: 'wholeNumber' }, 'twelve')).toBe('“twelve” is not a number.');
    expect(refusal({ kind: 'date' }, 'someday')).toContain('“someday” is not a date');
    expect(refusal({ kind: 'choice', choices: ['Card', 'Cash'] }, 'Gold')).toBe(
      '“Gold” is not one of Card, Cash.',
    );
    expect(refusal({ kind: 'tick' }, 'maybe')).toContain('neither yes nor no');
  });

  it('counts characters, not UTF-16 units', () => {
    expect(value({ kind: 'text', most: 2 }, '🎻🎺')).toBe('🎻🎺');
    expect(refusal({ kind: 'text', most: 2 }, 'abc')).toContain('3 characters');
  });

  it('keeps lines apart: one line of text, or many', () => {
    expect(refusal({ kind: 'text' }, 'a\nb')).toContain('one line');
    expect(value({ kind: 'longText' }, 'a\nb')).toBe('a\nb');
    expect(refusal({ kind: 'longText' }, 'a\0b')).toContain('NUL');
  });

  it('takes a choice in any case, as it is spelt in the list', () => {
    expect(value({ kind: 'choice', choices: ['Card', 'Cash'] }, ' cash ')).toBe('Cash');
  });

  it('reads a running number with or without its prefix', () => {
    const kind: ValueKind = { kind: 'runningNumber', prefix: 'H-', width: 4 };
    expect(value(kind, 'H-0012')).toBe(12);
    expect(value(kind, '12')).toBe(12);
  });
});

describe('dates in short form', () => {
  const cases: [string, string][] = [
    ['today', '2026-11-25'],
    ['tomorrow', '2026-11-26'],
    ['yesterday', '2026-11-24'],
    ['+7', '2026-12-02'],
    ['-25', '2026-10-31'],
    ['fri', '2026-11-27'],
    ['Wednesday', '2026-11-25'],
    ['mon', '2026-11-30'],
    ['4 nov', '2026-11-04'],
    ['nov 4', '2026-11-04'],
    ['4 November 2025', '2025-11-04'],
    ['4th nov', '2026-11-04'],
    ['4/11/26', '2026-11-04'],
    ['4.11.', '2026-11-04'],
    ['4-11-1999', '1999-11-04'],
    ['4/11/31', '1931-11-04'],
    ['4', '2026-11-04'],
    ['2026/11/04', '2026-11-04'],
    ['2024-02-29', '2024-02-29'],
  ];

  for (const [text, expected] of cases) {
    it(`reads “${text}” as ${expected}`, () => {
      expect(readDate(text, reading.today, BRITISH)).toBe(expected);
    });
  }

  it('follows the order of the office', () => {
    expect(readDate('4/11/26', reading.today, { ...BRITISH, dateOrder: 'mdy' })).toBe('2026-04-11');
    expect(readDate('26/11/4', reading.today, { ...BRITISH, dateOrder: 'ymd' })).toBe('2026-11-04');
  });

  it('refuses days that do not exist', () => {
    for (const text of ['31/2/2026', '29 feb 2025', '32', '0/5', 'xyz', '1/2/3/4', '4/11/026', '']) {
      expect(readDate(text, reading.today, BRITISH))
        .withContext(text)
        .toBeNull();
    }
  });
});

describe('showing values', () => {
  it('shows every kind as people read it', () => {
    const cases: [ValueKind, Value, string][] = [
      [MONEY, '1234.50', '£1,234.50'],
      [MONEY, '-0.50', '-£0.50'],
      [{ kind: 'decimal', places: 3 }, '1234567.125', '1,234,567.125'],
      [{ kind: 'wholeNumber' }, -1234567, '-1,234,567'],
      [{ kind: 'tick' }, true, 'Yes'],
      [{ kind: 'date' }, '2026-11-04', '4 Nov 2026'],
      [{ kind: 'runningNumber', prefix: 'H-', width: 4 }, 12, 'H-0012'],
      [{ kind: 'text' }, null, ''],
      [{ kind: 'dateTime' }, '2026-11-04T14:02:00Z', '4 Nov 2026 14:02 UTC'],
    ];
    for (const [kind, given, shown] of cases) expect(showValue(kind, given)).toBe(shown);
    expect(showValue(MONEY, '1234.50', GERMAN)).toBe('1.234,50 EUR');
  });

  it('begins an edit with text that reads back as the same value', () => {
    const cases: [ValueKind, Value][] = [
      [MONEY, '1234.50'],
      [{ kind: 'decimal', places: 3 }, '-0.125'],
      [{ kind: 'wholeNumber' }, 1234567],
      [{ kind: 'date' }, '2024-02-29'],
      [{ kind: 'runningNumber', prefix: 'H-', width: 4 }, 12],
      [{ kind: 'text' }, 'plain'],
    ];
    for (const locale of [BRITISH, GERMAN]) {
      for (const [kind, given] of cases)
        expect(value(kind, editText(kind, given, locale), locale)).toBe(given);
    }
  });
});

describe('values from outside', () => {
  const refused: [ValueKind, unknown][] = [
    [{ kind: 'wholeNumber' }, '12'],
    [{ kind: 'wholeNumber' }, 1.5],
    [{ kind: 'wholeNumber' }, 1e15],
    [{ kind: 'wholeNumber' }, NaN],
    [MONEY, 12.5],
    [MONEY, '12.555'],
    [MONEY, '1,000.00'],
    [{ kind: 'date' }, '2026-02-30'],
    [{ kind: 'date' }, 20261104],
    [{ kind: 'tick' }, 1],
    [{ kind: 'text' }, { toString: 'x' }],
    [{ kind: 'choice', choices: ['a'] }, 'b'],
    [{ kind: 'lookup' }, [1]],
    [{ kind: 'dateTime' }, '2026-11-04'],
    [{ kind: 'dateTime' }, '2026-11-04 14:02'],
    [{ kind: 'time' }, '25:00:00'],
    [{ kind: 'time' }, '14:02'],
    [{ kind: 'picture' }, 'a.png'],
    [{ kind: 'wholeNumber', least: '1' }, 0],
    [{ kind: 'money', places: 2, greatest: '10' }, '10.01'],
    [{ kind: 'text', pattern: 'A-9999' }, 'A-12'],
  ];

  for (const [kind, given] of refused) {
    it(`refuses ${JSON.stringify(given)} for ${kind.kind}`, () => {
      expect(checkValue(kind, given).ok).toBeFalse();
    });
  }

  it('brings decimals to their places', () => {
    expect(checkValue(MONEY, '12.5')).toEqual({ ok: true, value: '12.50' });
    expect(checkValue({ kind: 'text' }, '')).toEqual({ ok: true, value: null });
    expect(checkValue({ kind: 'lookup' }, null)).toEqual({ ok: true, value: null });
  });
});
