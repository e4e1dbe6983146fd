export * from './decimal';
export * from './dates';
export * from './locale';
export * from './read-date';
export * from './kinds';
