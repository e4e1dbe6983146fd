export * from './account';
export * from './rights';
export * from './viewer';
export * from './roles';
export * from './design-for';
