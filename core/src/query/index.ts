export * from './compile';
export * from './validate';
export * from './sort';
