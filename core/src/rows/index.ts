export * from './save';
export * from './check-row';
export * from './start';
export * from './rule-message';
export * from './asked';
export * from './view';
