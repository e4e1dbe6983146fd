export * from './answers';
