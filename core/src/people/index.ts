export * from './account';
export * from './rights';
export * from './viewer';
export * from './limits';
export * from './roles';
export * from './design-for';
export { mayAsk, tellsNothingKept } from './buttons';
