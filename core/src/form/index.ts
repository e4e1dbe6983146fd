export * from './generate';
