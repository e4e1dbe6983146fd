export * from './columns';
export * from './compile';
export * from './validate';
export * from './sort';
export { identifier } from './plain-sql';
