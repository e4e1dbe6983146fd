import { convertValue, isAmbiguousDate } from './convert';
import { checkValue, readValue, showValue, type ValueKind } from './kinds';
import { BRITISH } from './locale';
import { fitPattern, parsePattern, patternGlob, readPattern, type Slot } from './pattern';
import { readTime } from './read-time';
import { inZone, instantAt, isTimeZone } from './zone';

const reading = { locale: BRITISH, today: '2026-11-25' };
const london = { ...reading, locale: { ...BRITISH, timeZone: 'Europe/London' } };
const slots = (source: string): readonly Slot[] => {
  const parsed = parsePattern(source);
  if (!parsed.ok) throw new Error(parsed.message);
  return parsed.slots;
};

describe('patterns', () => {
  // The picture symbols of ISO/IEC 1989 (COBOL), clause PICTURE: 9 A X, insertion B 0 /, repetition in brackets.
  const symbols: [pattern: string, fits: string, not: string][] = [
    ['999', '123', '12A'],
    ['AA', 'Bé', 'B1'],
    ['XX', '1a', 'a'],
    ['9(4)', '2026', '202'],
    ['99/99', '12/34', '12-3'],
    ['9B9', '1 2', '1'],
    ['909', '102', '1'],
    ['A-9999', 'Q-1234', 'QQ-123'],
    ['"GB"99 9', 'GB12 3', 'FR12 3'],
    ['9.9,9:9', '1.2,3:4', '1234x'],
  ];
  for (const [pattern, fits, not] of symbols) {
    it(`${pattern} takes ${fits} and not ${not}`, () => {
      expect(readPattern(pattern, fits)).toEqual({ ok: true, value: fits });
      expect(readPattern(pattern, not).ok).toBeFalse();
    });
  }

  it('let typed characters fall into place, with or without what stands between', () => {
    for (const typed of ['Q1234', 'Q-1234', ' q 1234 '.toUpperCase(), 'Q/1234', 'Q - 1234'])
      expect(readPattern('A-9999', typed)).withContext(typed).toEqual({ ok: true, value: 'Q-1234' });
    expect(fitPattern(slots('A-9999'), 'Q12')).toEqual({ text: 'Q-12', whole: false, misfit: null });
    expect(fitPattern(slots('99/99'), '1234')).toEqual({ text: '12/34', whole: true, misfit: null });
    expect(fitPattern(slots('99-'), '12').text).toBe('12-');
  });

  it('say which character has no place', () => {
    expect(fitPattern(slots('A-9999'), 'Q12x').misfit).toBe('x');
    const read = readPattern('A-9999', '12');
    expect(!read.ok && read.message).toContain('no place for “1”');
    const half = readPattern('A-9999', 'Q12');
    expect(!half.ok && half.message).toContain('not finished');
  });

  it('refuse what is no pattern', () => {
    for (const source of ['', '---', '9(', '(4)', '9(0)', 'Z', '"open', '9(99)'])
      expect(parsePattern(source).ok).withContext(source).toBeFalse();
  });

  it('are written as GLOB, with its own signs taken literally', () => {
    expect(patternGlob('A-9999')).toBe(
      '[A-Za-z\u00c0-\u00d6\u00d8-\u00f6\u00f8-\u017f]-[0-9][0-9][0-9][0-9]',
    );
    expect(patternGlob('"*?["9')).toBe('[*][?][[][0-9]');
    expect(() => patternGlob('!')).toThrowError(RangeError);
  });
});

describe('times', () => {
  const cases: [string, string | null][] = [
    ['14:30', '14:30:00'],
    ['1430', '14:30:00'],
    ['930', '09:30:00'],
    ['9', '09:00:00'],
    ['2pm', '14:00:00'],
    ['2:30 p.m.', '14:30:00'],
    ['12 am', '00:00:00'],
    ['14.30.05', '14:30:05'],
    ['24:00', null],
    ['13pm', null],
    ['9:60', null],
    ['noon', null],
  ];
  for (const [text, expected] of cases)
    it(`“${text}” is ${expected ?? 'no time'}`, () => expect(readTime(text)).toBe(expected));

  it('go by the clock of the office, through the change of summer time', () => {
    // Europe/London 2026: forward on 29 March at 01:00 UTC, back on 25 October (IANA tz database, from memory).
    expect(instantAt('2026-07-01', '12:00:00', 'Europe/London')).toBe('2026-07-01T11:00:00Z');
    expect(inZone('2026-07-01T11:00:00Z', 'Europe/London')).toEqual({ date: '2026-07-01', time: '12:00:00' });
    expect(instantAt('2026-10-25', '01:30:00', 'Europe/London')).toBe('2026-10-25T00:30:00Z');
    expect(instantAt('2026-03-29', '01:30:00', 'Europe/London')).toBe('2026-03-29T01:30:00Z');
    expect(instantAt('2026-01-01', '00:00:00', 'Pacific/Auckland')).toBe('2025-12-31T11:00:00Z');
    expect(isTimeZone('Europe/London')).toBeTrue();
    expect(isTimeZone('Mars/Base')).toBeFalse();
  });

  it('with a date are read and shown by that clock', () => {
    const kind: ValueKind = { kind: 'dateTime' };
    expect(readValue(kind, '4 jul 14:30', london)).toEqual({ ok: true, value: '2026-07-04T13:30:00Z' });
    expect(readValue(kind, 'today 9', london)).toEqual({ ok: true, value: '2026-11-25T09:00:00Z' });
    expect(readValue(kind, '2026-11-04T14:30:00+02:00', london)).toEqual({
      ok: true,
      value: '2026-11-04T12:30:00Z',
    });
    expect(readValue(kind, '4/11/2026', london)).toEqual({ ok: true, value: '2026-11-04T00:00:00Z' });
    expect(readValue(kind, 'soon', london).ok).toBeFalse();
    expect(showValue(kind, '2026-07-04T13:30:00Z', london.locale)).toBe('4 Jul 2026 14:30');
    expect(
      showValue({ kind: 'dateTime', style: 'iso', seconds: true }, '2026-07-04T13:30:00Z', london.locale),
    ).toBe('2026-07-04 14:30:00');
  });
});

describe('how values are shown', () => {
  const cases: [ValueKind, string | number, string][] = [
    [{ kind: 'date', style: 'long' }, '2026-11-04', 'Wed 4 November 2026'],
    [{ kind: 'date', style: 'numbers' }, '2026-11-04', '04/11/2026'],
    [{ kind: 'date', style: 'iso' }, '2026-11-04', '2026-11-04'],
    [{ kind: 'wholeNumber', plain: true }, 1987, '1987'],
    [{ kind: 'decimal', places: 1, unit: 'cm' }, '12.5', '12.5\u00a0cm'],
    [{ kind: 'wholeNumber', unit: '%' }, 12, '12%'],
    [{ kind: 'money', places: 2, currency: 'EUR' }, '12.50', '12.50 EUR'],
    [{ kind: 'time' }, '14:30:00', '14:30'],
    [{ kind: 'time', seconds: true }, '14:30:00', '14:30:00'],
  ];
  for (const [kind, value, shown] of cases)
    it(`${JSON.stringify(kind)} shows ${shown}`, () => expect(showValue(kind, value)).toBe(shown));

  it('reads a unit and a currency of its own back', () => {
    expect(readValue({ kind: 'decimal', places: 1, unit: 'cm' }, '12.5 cm', reading)).toEqual({
      ok: true,
      value: '12.5',
    });
    expect(readValue({ kind: 'money', places: 2, currency: '€' }, '€12', reading)).toEqual({
      ok: true,
      value: '12.00',
    });
  });

  it('keeps numbers within their bounds', () => {
    const kind: ValueKind = { kind: 'decimal', places: 2, least: '0', greatest: '1.5' };
    expect(readValue(kind, '1.51', reading)).toEqual({ ok: false, message: 'At most 1.5 is allowed here.' });
    expect(readValue(kind, '-0.01', reading)).toEqual({ ok: false, message: 'At least 0 is needed here.' });
    expect(checkValue(kind, '1.50')).toEqual({ ok: true, value: '1.50' });
  });
});

describe('values of another kind', () => {
  const cases: [from: ValueKind, to: ValueKind, value: string | number | boolean, expected: unknown][] = [
    [{ kind: 'text' }, { kind: 'wholeNumber' }, '1,234', 1234],
    [{ kind: 'text' }, { kind: 'money', places: 2 }, '£12.5', '12.50'],
    [{ kind: 'text' }, { kind: 'date' }, '4/11/26', '2026-11-04'],
    [{ kind: 'text' }, { kind: 'tick' }, 'yes', true],
    [{ kind: 'text' }, { kind: 'choice', choices: ['Out', 'Back'] }, 'out', 'Out'],
    [{ kind: 'money', places: 2 }, { kind: 'wholeNumber' }, '2.50', 3],
    [{ kind: 'money', places: 2 }, { kind: 'decimal', places: 1 }, '-0.05', '-0.1'],
    [{ kind: 'wholeNumber' }, { kind: 'text' }, 1234, '1234'],
    [{ kind: 'date' }, { kind: 'text' }, '2026-11-04', '2026-11-04'],
    [{ kind: 'date' }, { kind: 'dateTime' }, '2026-07-04', '2026-07-03T23:00:00Z'],
    [{ kind: 'dateTime' }, { kind: 'date' }, '2026-07-03T23:00:00Z', '2026-07-04'],
    [{ kind: 'dateTime' }, { kind: 'time' }, '2026-07-03T23:00:00Z', '00:00:00'],
    [{ kind: 'tick' }, { kind: 'text' }, true, 'Yes'],
    [{ kind: 'tick' }, { kind: 'wholeNumber' }, true, 1],
    [{ kind: 'wholeNumber' }, { kind: 'tick' }, 0, false],
    [{ kind: 'runningNumber', prefix: 'H-', width: 4 }, { kind: 'text' }, 12, 'H-0012'],
    [{ kind: 'text' }, { kind: 'text', pattern: 'A-99' }, 'b12'.toUpperCase(), 'B-12'],
  ];
  for (const [from, to, value, expected] of cases)
    it(`${from.kind} ${String(value)} as ${to.kind} is ${String(expected)}`, () =>
      expect(convertValue(from, to, value, london)).toEqual({ ok: true, value: expected as string }));

  it('say what cannot be', () => {
    expect(convertValue({ kind: 'text' }, { kind: 'date' }, 'soon', reading).ok).toBeFalse();
    expect(convertValue({ kind: 'wholeNumber' }, { kind: 'tick' }, 7, reading).ok).toBeFalse();
    expect(convertValue({ kind: 'text' }, { kind: 'wholeNumber' }, null, reading)).toEqual({
      ok: true,
      value: null,
    });
  });

  it('know a date that is two dates', () => {
    expect(isAmbiguousDate('4/11/2026', reading)).toBeTrue();
    for (const text of ['24/11/2026', '4/4/2026', '4 nov', '2026-11-04', 'x'])
      expect(isAmbiguousDate(text, reading)).withContext(text).toBeFalse();
  });
});
