export * from './compile';
