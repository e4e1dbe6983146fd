export * from './compile';
export * from './validate';
