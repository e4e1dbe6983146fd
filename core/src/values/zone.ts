import { dayNumber, instantText, parseInstant, parseTime } from './dates';

const formats = new Map<string, Intl.DateTimeFormat>();

function formatOf(zone: string): Intl.DateTimeFormat {
  const known = formats.get(zone);
  if (known) return known;
  const made = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    era: 'short',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hourCycle: 'h23',
  });
  formats.set(zone, made);
  return made;
}

/** True for a name of the IANA time zone database that this engine knows. */
export function isTimeZone(zone: string): boolean {
  try {
    formatOf(zone);
    return true;
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** Date (`YYYY-MM-DD`) and time (`HH:MM:SS`) that clocks of a zone show at an instant. */
export function inZone(instant: string, zone: string): { readonly date: string; readonly time: string } {
  const seconds = parseInstant(instant);
  if (seconds === null) return { date: instant.slice(0, 10), time: instant.slice(11, 19) };
  if (zone === 'UTC') return { date: instant.slice(0, 10), time: instant.slice(11, 19) };
  const parts = formatOf(zone).formatToParts(seconds * 1000);
  const of = (type: string): string => parts.find((part) => part.type === type)?.value ?? '';
  return {
    date: `${of('year').padStart(4, '0')}-${of('month')}-${of('day')}`,
    time: `${of('hour')}:${of('minute')}:${of('second')}`,
  };
}

/**
 * The instant (`YYYY-MM-DDTHH:MM:SSZ`) at which clocks of a zone show this date and time. Where the clock
 * is put back and shows it twice, the first one; where it is put forward over it, as much later. Null
 * outside the years 0001 to 9999.
 */
export function instantAt(date: string, time: string, zone: string): string | null {
  const wanted = dayNumber(date) * 86400 + (parseTime(time) ?? 0);
  const shownAt = (seconds: number): number => {
    const text = instantText(seconds);
    if (text === null) return NaN;
    const shown = inZone(text, zone);
    return dayNumber(shown.date) * 86400 + (parseTime(shown.time) ?? 0);
  };
  // Offsets at either side of the wanted time: they differ only around a change of the clock.
  const offsets = [wanted - 86400, wanted + 86400].map((near) => shownAt(near) - near);
  const fitting = offsets.map((offset) => wanted - offset).filter((seconds) => shownAt(seconds) === wanted);
  const seconds = fitting.length > 0 ? Math.min(...fitting) : wanted - offsets[0]!;
  return Number.isNaN(seconds) ? null : instantText(seconds);
}
