export * from './account';
export * from './rights';
export * from './viewer';
