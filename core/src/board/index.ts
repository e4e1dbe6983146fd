export * from './days';
export * from './filters';
export * from './make';
export * from './sort';
export * from './there';
