export * from './rights';
export * from './viewer';
