/** Milliseconds in words. */
export function lasting(milliseconds: number): string {
  if (milliseconds < 1) return 'less than 1 ms';
  if (milliseconds < 1000) return `${Math.round(milliseconds)} ms`;
  return `${(milliseconds / 1000).toLocaleString('en-GB', { maximumFractionDigits: 1 })} s`;
}
