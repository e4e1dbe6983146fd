import { options } from '../shared/select.component';

/** Widths on the grid of 12 columns. */
export const WIDTHS = ([2, 3, 4, 6, 8, 12] as const).map((width) => [width, String(width)] as const);

/** Where the label of a control stands. */
export const LABELS = options([
  ['above', 'above it'],
  ['left', 'left of it'],
  ['end', 'left of it, at the right'],
  ['none', 'nowhere'],
] as const);
