import fc from 'fast-check';
import {
  addDays,
  addMonths,
  civilFromDays,
  dayNumber,
  daysBetween,
  daysFromCivil,
  daysInMonth,
  instantText,
  isDate,
  isLeapYear,
  parseInstant,
  parseTime,
  timeText,
  weekday,
} from './dates';

describe('dates', () => {
  it('knows leap years as ISO 8601 counts them', () => {
    expect([1600, 2000, 2024].every(isLeapYear)).toBeTrue();
    expect([1700, 1800, 1900, 2023, 2100].some(isLeapYear)).toBeFalse();
  });

  it('counts the days of every month', () => {
    const lengths = Array.from({ length: 12 }, (_, i) => daysInMonth(2023, i + 1));
    expect(lengths).toEqual([31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]);
    expect(daysInMonth(2024, 2)).toBe(29);
  });

  it('takes only real dates', () => {
    for (const text of ['2024-02-29', '0001-01-01', '9999-12-31', '1985-04-12']) {
      expect(isDate(text)).withContext(text).toBeTrue();
    }
    const odd = [
      '2023-02-29',
      '2024-13-01',
      '2024-00-10',
      '2024-04-31',
      '24-04-01',
      '2024-4-1',
      '',
      '0000-01-01',
    ];
    for (const text of odd) expect(isDate(text)).withContext(text).toBeFalse();
  });

  it('agrees with the platform’s own calendar for every day of 1200 years', () => {
    const start = Date.UTC(1600, 0, 1) / 86_400_000;
    let wrong = 0;
    for (let day = 0; day < 438_000; day += 7) {
      const date = new Date((start + day) * 86_400_000);
      const civil = civilFromDays(start + day);
      const same =
        civil.year === date.getUTCFullYear() &&
        civil.month === date.getUTCMonth() + 1 &&
        civil.day === date.getUTCDate();
      if (!same || daysFromCivil(civil.year, civil.month, civil.day) !== start + day) wrong++;
    }
    expect(wrong).toBe(0);
  });

  it('numbers the days of ISO 8601’s own examples', () => {
    // ISO 8601-1:2019 uses 12 April 1985, a Friday, in its examples (from memory).
    expect(weekday('1985-04-12')).toBe(5);
    expect(dayNumber('1970-01-01')).toBe(0);
    expect(daysBetween('1985-01-01', '1985-04-12')).toBe(101);
  });

  it('clamps a day that the month does not have', () => {
    const cases: [string, number, string][] = [
      ['2024-01-31', 1, '2024-02-29'],
      ['2023-01-31', 1, '2023-02-28'],
      ['2024-02-29', 12, '2025-02-28'],
      ['2024-03-31', -1, '2024-02-29'],
      ['2023-12-15', 1, '2024-01-15'],
      ['2024-01-15', -1, '2023-12-15'],
    ];
    for (const [date, months, expected] of cases) {
      expect(addMonths(date, months)).withContext(`${date} ${months}`).toBe(expected);
    }
  });

  it('ends with the calendar', () => {
    expect(addDays('9999-12-31', 1)).toBeNull();
    expect(addDays('0001-01-01', -1)).toBeNull();
    expect(addMonths('9999-12-01', 1)).toBeNull();
    expect(addDays('2024-02-28', 2)).toBe('2024-03-01');
  });

  it('goes there and back', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -700_000, max: 2_900_000 }),
        fc.integer({ min: -5000, max: 5000 }),
        (day, by) => {
          const { year, month, day: date } = civilFromDays(day);
          if (year < 20 || year > 9980) return;
          const text = `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(date).padStart(2, '0')}`;
          expect(daysBetween(text, addDays(text, by)!)).toBe(by);
        },
      ),
      { numRuns: 300, seed: 20261130 },
    );
  });
});

describe('instants', () => {
  // RFC 3339, section 5.8, gives these examples.
  const EXAMPLES: [string, string][] = [
    ['1985-04-12T23:20:50.52Z', '1985-04-12T23:20:50Z'],
    ['1996-12-19T16:39:57-08:00', '1996-12-20T00:39:57Z'],
    ['1937-01-01T12:00:27.87+00:20', '1937-01-01T11:40:27Z'],
    // Leap seconds: read as the second that follows.
    ['1990-12-31T23:59:60Z', '1991-01-01T00:00:00Z'],
    ['1990-12-31T15:59:60-08:00', '1991-01-01T00:00:00Z'],
  ];

  it('reads the examples of RFC 3339', () => {
    for (const [text, utc] of EXAMPLES) {
      expect(instantText(parseInstant(text)!))
        .withContext(text)
        .toBe(utc);
    }
  });

  it('refuses what RFC 3339 does not allow', () => {
    const odd = [
      '1985-04-12',
      '1985-04-12T23:20:50',
      '1985-02-30T00:00:00Z',
      '1985-04-12T24:00:00Z',
      '1985-04-12T23:60:00Z',
      '1985-04-12T23:20:50+24:00',
    ];
    for (const text of odd) expect(parseInstant(text)).withContext(text).toBeNull();
  });

  it('reads times of day', () => {
    expect(parseTime('23:59:59')).toBe(86_399);
    expect(parseTime('09:30')).toBe(34_200);
    expect(timeText(34_200)).toBe('09:30:00');
    for (const text of ['24:00', '9:30', '12:60', '12']) expect(parseTime(text)).withContext(text).toBeNull();
  });
});
