import currencyCodes from 'currency-codes';

const SIGNS: Readonly<Record<string, string>> = { '£': 'GBP', '€': 'EUR', $: 'USD', '¥': 'JPY', '₩': 'KRW' };

/** Decimal places that amounts of a currency have (ISO 4217), by its code or its sign; 2 where unknown. */
export const minorUnits = (currency: string): number =>
  currencyCodes.code(SIGNS[currency] ?? currency)?.digits ?? 2;
