/**
 * Exact decimal arithmetic. A decimal is a whole number of units of 10^-scale, so nothing is ever
 * held in binary floating point.
 */
export interface Decimal {
  /** The value times 10^scale. */
  readonly units: bigint;
  /** Places after the point, 0 or more. */
  readonly scale: number;
}

/** 10^n as a bigint, n >= 0. */
export const pow10 = (n: number): bigint => 10n ** BigInt(n);

export const decimal = (units: bigint, scale = 0): Decimal => ({ units, scale });

/**
 * Divides two whole numbers and rounds half away from zero, as invoices do (2.5 -> 3, -2.5 -> -3).
 * Throws a RangeError when the divisor is 0.
 */
export function divideRounded(dividend: bigint, divisor: bigint): bigint {
  const quotient = dividend / divisor;
  const remainder = dividend % divisor;
  const twice = (remainder < 0n ? -remainder : remainder) * 2n;
  if (twice < (divisor < 0n ? -divisor : divisor)) return quotient;
  return dividend < 0n === divisor < 0n ? quotient + 1n : quotient - 1n;
}

/** Units at one scale as units at another; digits that fall off are rounded half away from zero. */
export function rescale(units: bigint, from: number, to: number): bigint {
  return to >= from ? units * pow10(to - from) : divideRounded(units, pow10(from - to));
}

/** The same value with exactly `scale` places, rounded half away from zero. */
export const round = (a: Decimal, scale: number): Decimal => decimal(rescale(a.units, a.scale, scale), scale);

export function add(a: Decimal, b: Decimal): Decimal {
  const scale = Math.max(a.scale, b.scale);
  return decimal(rescale(a.units, a.scale, scale) + rescale(b.units, b.scale, scale), scale);
}

export const negate = (a: Decimal): Decimal => decimal(-a.units, a.scale);
export const subtract = (a: Decimal, b: Decimal): Decimal => add(a, negate(b));
export const multiply = (a: Decimal, b: Decimal): Decimal => decimal(a.units * b.units, a.scale + b.scale);

/**
 * a / b with `scale` places (by default six more than the more precise of the two), rounded half
 * away from zero. Null when b is 0.
 */
export function divide(a: Decimal, b: Decimal, scale = Math.max(a.scale, b.scale) + 6): Decimal | null {
  if (b.units === 0n) return null;
  const shift = scale + b.scale - a.scale;
  return shift >= 0
    ? decimal(divideRounded(a.units * pow10(shift), b.units), scale)
    : decimal(divideRounded(a.units, b.units * pow10(-shift)), scale);
}

/** -1, 0 or 1; scales need not match. */
export function compare(a: Decimal, b: Decimal): number {
  const difference = subtract(a, b).units;
  return difference < 0n ? -1 : difference > 0n ? 1 : 0;
}

/** `-12.50` for -1250 at scale 2: a point, no grouping, always `scale` places. */
export function toText({ units, scale }: Decimal): string {
  if (scale === 0) return units.toString();
  const digits = (units < 0n ? -units : units).toString().padStart(scale + 1, '0');
  return `${units < 0n ? '-' : ''}${digits.slice(0, -scale)}.${digits.slice(-scale)}`;
}

/** Reads `[+-]digits[.digits]` as it stands, keeping its places; null when the text is not that. */
export function fromText(text: string): Decimal | null {
  const match = /^([+-]?)(\d*)(?:\.(\d*))?$/.exec(text.trim());
  if (!match) return null;
  const [, sign, whole = '', fraction = ''] = match;
  if (whole + fraction === '') return null;
  const units = BigInt(whole + fraction);
  return decimal(sign === '-' ? -units : units, fraction.length);
}
