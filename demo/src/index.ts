export { DEMO_FILE, makeDemo, SIGN_INS } from './make';
export { dice } from './random';
export { playersSheet } from './spreadsheet';
