export * from './adopt';
export * from './foreign';
export { howFor, kindOf, LONG } from './readings';
export { checksIn, clausesIn } from './create-table';
export * from './folder';
export * from './difference';
export * from './standard-sql';
export * from './encodings';
export * from './data-package';
