export * from './edit';
export * from './generate';
export * from './level';
export * from './problems';
export * from './sort';
export * from './tree';
