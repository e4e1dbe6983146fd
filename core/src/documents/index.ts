export * from './sorts';
export * from './dependants';
export * from './everywhere';
export * from './validate';
export * from './renames';
