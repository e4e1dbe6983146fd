import fc from 'fast-check';
import { IsoDateAdapter } from './iso-date-adapter';

/** Days of the years 1 to 9999 as numbers of days since 1970, each beside the platform's own calendar. */
const days = fc.integer({ min: -719_162, max: 2_932_896 });

const platform = (day: number): Date => new Date(day * 86_400_000);
const text = (day: number): string => {
  const date = platform(day);
  const year = String(date.getUTCFullYear()).padStart(4, '0');
  return `${year}-${String(date.getUTCMonth() + 1).padStart(2, '0')}-${String(date.getUTCDate()).padStart(2, '0')}`;
};

describe('days and times as Material asks for them', () => {
  const adapter = new IsoDateAdapter();

  // The platform’s Date is the proleptic Gregorian calendar of ECMA-262, 21.4.1.
  it('are those of the platform’s calendar', () => {
    fc.assert(
      fc.property(days, (day) => {
        const [date, own] = [text(day), platform(day)];
        expect([
          adapter.getYear(date),
          adapter.getMonth(date),
          adapter.getDate(date),
          adapter.getDayOfWeek(date),
        ]).toEqual([own.getUTCFullYear(), own.getUTCMonth(), own.getUTCDate(), own.getUTCDay()]);
        expect(adapter.createDate(own.getUTCFullYear(), own.getUTCMonth(), own.getUTCDate())).toBe(date);
        expect(adapter.isValid(date)).toBeTrue();
        expect(adapter.deserialize(date)).toBe(date);
      }),
      { seed: 20261130 },
    );
  });

  it('move by days, months and years, and keep the time', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -700_000, max: 2_900_000 }),
        fc.integer({ min: -9999, max: 9999 }),
        (day, by) => {
          expect(adapter.addCalendarDays(`${text(day)}T12:30:00`, by)).toBe(`${text(day + by)}T12:30:00`);
        },
      ),
      { seed: 20261130 },
    );
    expect(adapter.addCalendarMonths('2024-01-31', 1)).toBe('2024-02-29');
    expect(adapter.addCalendarYears('2024-02-29', 1)).toBe('2025-02-28');
    expect(adapter.addCalendarDays('9999-12-31', 1)).toBe('9999-12-31');
  });

  it('have the names and the week of the office', () => {
    expect(adapter.getMonthNames('long').slice(0, 2)).toEqual(['January', 'February']);
    expect(adapter.getDayOfWeekNames('short')).toEqual(['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']);
    expect(adapter.getFirstDayOfWeek()).toBe(1);
    expect(adapter.getDateNames().length).toBe(31);
    expect(adapter.getNumDaysInMonth('2024-02-01')).toBe(29);
    expect(adapter.getYearName('2026-11-04')).toBe('2026');
    expect(adapter.format('2026-11-04', { month: 'short', year: 'numeric' })).toBe('Nov 2026');
    expect(adapter.format('2026-11-04', null)).toBe('4 Nov 2026');
  });

  it('are read as people type them, and nothing else is one', () => {
    expect(adapter.parse('4 nov 2026')).toBe('2026-11-04');
    expect([adapter.parse(''), adapter.parse('soonish'), adapter.parse(7)]).toEqual([null, '', null]);
    expect(adapter.parseTime('2pm')?.slice(10)).toBe('T14:00:00');
    expect([adapter.parseTime(' '), adapter.parseTime('late')]).toEqual([null, '']);
    for (const wrong of ['2026-02-30', '2026-11-04T24:00:00', '2026-11-04 9', 'x', ''])
      expect(adapter.isValid(wrong)).withContext(wrong).toBeFalse();
    expect([adapter.deserialize(''), adapter.deserialize('2026-02-30'), adapter.deserialize(5)]).toEqual([
      null,
      '',
      '',
    ]);
    expect(adapter.isValid(adapter.today())).toBeTrue();
  });

  it('carry times of day over midnight both ways', () => {
    expect(adapter.setTime('2026-11-04', 9, 5, 0)).toBe('2026-11-04T09:05:00');
    const late = '2026-12-31T23:59:30';
    expect([adapter.getHours(late), adapter.getMinutes(late), adapter.getSeconds(late)]).toEqual([
      23, 59, 30,
    ]);
    expect(adapter.addSeconds(late, 60)).toBe('2027-01-01T00:00:30');
    expect(adapter.addSeconds('2027-01-01T00:00:30', -60)).toBe(late);
    expect(adapter.getHours('2026-11-04')).toBe(0);
  });
});
