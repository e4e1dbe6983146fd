// What the query room takes from its neighbours, in one place.
export { lookupText } from '../change';
export * from '../design';
