import { timeText } from './dates';

/**
 * Reads a time as people type it: `14:30`, `14.30`, `1430`, `930`, `14:30:05`, `9`, `2pm`, `2:30 pm`.
 *
 * @returns `HH:MM:SS`, or null when the text is not a time
 */
export function readTime(text: string): string | null {
  const typed = text.trim().toLowerCase().replace(/\s+/g, '');
  const match =
    /^(\d{1,2})(?:[:.h](\d{2})?(?:[:.](\d{2}))?)?([ap]\.?m?\.?)?$/.exec(typed) ??
    /^(\d{1,2})(\d{2})()([ap]\.?m?\.?)?$/.exec(typed);
  if (!match) return null;
  const [, h, m, s, half] = match;
  let hour = Number(h);
  if (half) {
    if (hour < 1 || hour > 12) return null;
    hour = (hour % 12) + (half.startsWith('p') ? 12 : 0);
  }
  const [minute, second] = [Number(m || 0), Number(s || 0)];
  if (hour > 23 || minute > 59 || second > 59) return null;
  return timeText(hour * 3600 + minute * 60 + second);
}

/** Whether a time is written with its minutes, or with a half of the day. */
export const isWrittenTime = (text: string): boolean =>
  /^\d{1,2}(?:[:.]\d{2}){1,2}(?:\s?[ap]\.?m\.?)?$|^\d{1,2}\s?[ap]\.?m\.?$/i.test(text.trim());
