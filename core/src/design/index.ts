export * from './schema';
export * from './names';
export * from './catalog';
export * from './validate';
export * from './dependants';
