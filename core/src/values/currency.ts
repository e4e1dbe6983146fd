/**
 * ISO 4217, list one: decimal places ("minor units") of the currencies that have other than two.
 */
const MINOR_UNITS: Readonly<Record<string, number>> = {
  BHD: 3,
  BIF: 0,
  CLF: 4,
  CLP: 0,
  DJF: 0,
  GNF: 0,
  IQD: 3,
  ISK: 0,
  JOD: 3,
  JPY: 0,
  KMF: 0,
  KRW: 0,
  KWD: 3,
  LYD: 3,
  OMR: 3,
  PYG: 0,
  RWF: 0,
  TND: 3,
  UGX: 0,
  UYI: 0,
  UYW: 4,
  VND: 0,
  VUV: 0,
  XAF: 0,
  XOF: 0,
  XPF: 0,
};

const SIGNS: Readonly<Record<string, string>> = { '£': 'GBP', '€': 'EUR', $: 'USD', '¥': 'JPY', '₩': 'KRW' };

/** Decimal places that amounts of a currency have, by its ISO 4217 code or its sign; 2 where unknown. */
export const minorUnits = (currency: string): number => MINOR_UNITS[SIGNS[currency] ?? currency] ?? 2;
