export * from './generate';
export * from './problems';
