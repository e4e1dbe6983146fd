import type { Box } from './link-path';

const WAYS: Readonly<Record<string, readonly [x: number, y: number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/**
 * The card that an arrow key leads to: the nearest in that direction, where a step aside counts twice. Null
 * where there is none, and for other keys.
 */
export function nextCard<C extends Box>(cards: readonly C[], from: Box, key: string): C | null {
  const way = WAYS[key];
  if (!way) return null;
  const [x, y] = way;
  const cost = (card: Box): number => {
    const dx = card.x + card.width / 2 - (from.x + from.width / 2);
    const dy = card.y + card.height / 2 - (from.y + from.height / 2);
    const [ahead, aside] = x === 0 ? [dy * y, Math.abs(dx)] : [dx * x, Math.abs(dy)];
    return ahead > 1 ? ahead + 2 * aside : Infinity;
  };
  const best = cards.reduce<C | null>(
    (least, card) => (cost(card) < (least ? cost(least) : Infinity) ? card : least),
    null,
  );
  return best;
}
