export * from './suggest';
export * from './model';
