export { makeDemo } from './make';
