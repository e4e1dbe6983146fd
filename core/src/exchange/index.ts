export * from './adopt';
export * from './folder';
export * from './difference';
export * from './standard-sql';
export * from './encodings';
