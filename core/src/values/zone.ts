import type {} from 'temporal-polyfill/types/global';
import { daysFromCivil, instantText, parseInstant } from './dates';

/** True for a name of the IANA time zone database that this engine knows. */
export function isTimeZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return !/^[+-]/.test(zone);
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** Seconds by which the clocks of a zone are ahead of UTC at a moment, in seconds since 1970. */
function offsetAt(seconds: number, zone: string): number {
  if (zone === 'UTC') return 0;
  return (
    Temporal.Instant.fromEpochMilliseconds(seconds * 1000).toZonedDateTimeISO(zone).offsetNanoseconds / 1e9
  );
}

/** Date (`YYYY-MM-DD`) and time (`HH:MM:SS`) that clocks of a zone show at an instant. */
export function inZone(instant: string, zone: string): { readonly date: string; readonly time: string } {
  const seconds = parseInstant(instant);
  const shown = seconds === null ? instant : instantText(seconds + Math.floor(offsetAt(seconds, zone)));
  const text = shown ?? instant;
  return { date: text.slice(0, 10), time: text.slice(11, 19) };
}

/**
 * The instant (`YYYY-MM-DDTHH:MM:SSZ`) at which clocks of a zone show this date and time. Where the clock
 * is put back and shows it twice, the first one; where it is put forward over it, as much later. Null
 * outside the years 0001 to 9999.
 */
export function instantAt(date: string, time: string, zone: string): string | null {
  const wall = Temporal.PlainDateTime.from(`${date}T${time}`);
  return instantText(Math.floor(wall.toZonedDateTime(zone).epochMilliseconds / 1000));
}

/** From when to when the changes of clocks are written into a file: later ones are not known yet. */
const [FIRST_YEAR, LAST_YEAR] = [2020, 2060];

/**
 * Today's date in a zone as an expression of SQLite, from the engine's own clock, which knows only UTC:
 * every change of the zone's clocks from 2020 to 2060 is written out in it.
 */
export function todaySql(zone: string): string {
  const known = todays.get(zone);
  if (known !== undefined) return known;
  const sql = writtenToday(zone);
  todays.set(zone, sql);
  return sql;
}

const todays = new Map<string, string>();

function writtenToday(zone: string): string {
  const begin = daysFromCivil(FIRST_YEAR, 1, 1) * 86_400;
  const steps: { readonly until: number; readonly offset: number }[] = [];
  let at = Temporal.Instant.fromEpochMilliseconds(begin * 1000).toZonedDateTimeISO(zone);
  for (;;) {
    const next = at.getTimeZoneTransition('next');
    if (next === null || next.year > LAST_YEAR) break;
    steps.push({ until: next.epochMilliseconds / 1000, offset: at.offsetNanoseconds / 1e9 });
    at = next;
  }
  const last = at.offsetNanoseconds / 1e9;
  if (steps.length === 0 && last === 0) return `date('now')`;
  const whens = steps.map(({ until, offset }) => `WHEN unixepoch('now') < ${until} THEN ${offset}`);
  const offset = steps.length === 0 ? String(last) : `CASE ${whens.join(' ')} ELSE ${last} END`;
  return `date(unixepoch('now') + ${offset}, 'unixepoch')`;
}
