export * from './layout';
export * from './source';
