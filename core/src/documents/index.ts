export * from './sorts';
export * from './dependants';
