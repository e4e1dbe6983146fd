import type { Box } from './link-path';

/** Pixels between a card and the one that it had to make room for. */
const BETWEEN = 24;

/**
 * The boxes that have to move, downwards only, so that none covers another: each in its new place. From the topmost
 * on, a box goes below all that it would cover; those that cover nothing stay where they are.
 */
export function apart<B extends Box>(boxes: readonly B[]): B[] {
  const placed: B[] = [];
  const moved: B[] = [];
  for (const box of [...boxes].sort((a, b) => a.y - b.y || a.x - b.x)) {
    let at = box;
    for (let covered = placed.find((other) => cover(at, other)); covered;) {
      at = { ...at, y: covered.y + covered.height + BETWEEN };
      covered = placed.find((other) => cover(at, other));
    }
    placed.push(at);
    if (at !== box) moved.push(at);
  }
  return moved;
}

const cover = (a: Box, b: Box): boolean =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
