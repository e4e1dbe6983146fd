export * from './currency';
export * from './link-offers';
export * from './new-table';
export * from './plain-type';
export * from './plan-text';
export * from './plural';
