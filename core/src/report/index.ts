export * from './layout';
export * from './source';
export * from './sort';
