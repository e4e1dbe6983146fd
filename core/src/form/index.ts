export * from './edit';
export * from './generate';
export * from './level';
export * from './problems';
export * from './sort';
export * from './tree';
export * from './reckon';
export * from './sums';
