export * from './answers';
export * from './problems';
