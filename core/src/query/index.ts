export * from './columns';
export * from './compile';
export * from './validate';
export * from './sort';
export { identifier, plainQuery } from './plain-sql';
