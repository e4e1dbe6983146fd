export { DEMO_FILE, makeDemo, SIGN_INS } from './make';
