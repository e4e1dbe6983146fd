export * from './changes';
export * from './ddl';
export * from './steps';
export * from './check';
