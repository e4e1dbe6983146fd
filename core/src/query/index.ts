export * from './scope';
export * from './compile';
export * from './validate';
export * from './sort';
export * from './paths';
export * from './edit';
export * from './sentence';
export * from './repeats';
export { identifier, plainQuery } from './plain-sql';
