export * from './changes';
export * from './ddl';
export * from './steps';
export * from './check';
export * from './mend';
export * from './carry';
export * from './convert';
export * from './undo';
