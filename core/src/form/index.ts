export * from './generate';
export * from './problems';
export * from './sort';
