import type { ELK, ElkNode, LayoutOptions } from 'elkjs/lib/elk-api';
import type { Place } from '../shared/api.service';
import type { LayoutRequest } from './layout.service';

/** Pixels between cards that stand side by side and above one another. */
const [BESIDE, ABOVE] = [56, 40];

/** The scale below which a card has no room for its name. */
const LEGIBLE = 0.36;

const LAYERED: LayoutOptions = {
  'elk.algorithm': 'layered',
  'elk.spacing.nodeNode': '36',
  'elk.layered.spacing.nodeNodeBetweenLayers': '76',
  'elk.spacing.componentComponent': '60',
  'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
};

/** From left to right or from top to bottom, in one run or in several that follow one another. */
const WAYS: readonly LayoutOptions[] = [
  { 'elk.direction': 'RIGHT' },
  { 'elk.direction': 'DOWN' },
  { 'elk.direction': 'RIGHT', 'elk.layered.wrapping.strategy': 'MULTI_EDGE' },
  { 'elk.direction': 'DOWN', 'elk.layered.wrapping.strategy': 'MULTI_EDGE' },
];

/**
 * Places for all cards: along the links, from the tables looked up to those that look them up, in whichever way
 * shows them largest in a window of the shape given (the layered method of the Eclipse Layout Kernel). Where a
 * map of many tables would become too small that way, its cards stand on a grid that fills the window, those
 * that are linked near one another (in the order of a layout by stress). No two cards lie upon one another.
 */
export async function arrange(elk: ELK, request: LayoutRequest): Promise<readonly Place[]> {
  if (request.cards.length === 0) return [];
  const placed: (readonly Place[])[] = [];
  for (const way of WAYS)
    placed.push(
      await layOut(elk, request, { ...LAYERED, ...way, 'elk.aspectRatio': String(request.aspect) }),
    );
  const along = placed.reduce((best, other) => (scale(other, request) > scale(best, request) ? other : best));
  const near = await layOut(elk, request, {
    'elk.algorithm': 'stress',
    'elk.stress.desiredEdgeLength': '240',
  });
  const grid = onGrid(near, request);
  const shown = scale(along, request);
  return shown >= LEGIBLE || shown >= scale(grid, request) ? along : grid;
}

async function layOut(elk: ELK, { cards, links }: LayoutRequest, options: LayoutOptions): Promise<Place[]> {
  const graph: ElkNode = {
    id: 'map',
    layoutOptions: options,
    children: cards.map(({ id, width, height }) => ({ id, width, height })),
    edges: links
      .filter(({ from, to }) => from !== to)
      .map(({ from, to }, i) => ({ id: `e${i}`, sources: [from], targets: [to] })),
  };
  const { children = [] } = await elk.layout(graph);
  return children.map(({ id, x = 0, y = 0 }) => ({ table: id, x, y }));
}

/** The scale at which all of these places can be seen: never larger than life. */
export function scale(places: readonly Place[], { cards, aspect, height }: LayoutRequest): number {
  const boxes = new Map(cards.map((card) => [card.id, card]));
  const right = Math.max(...places.map(({ table, x }) => x + boxes.get(table)!.width));
  const bottom = Math.max(...places.map(({ table, y }) => y + boxes.get(table)!.height));
  const left = Math.min(...places.map(({ x }) => x));
  const top = Math.min(...places.map(({ y }) => y));
  return Math.min(1, (height * aspect) / (right - left), height / (bottom - top));
}

/** As many columns as show the cards largest; in them, rows by height and in each row by width. */
function onGrid(near: readonly Place[], request: LayoutRequest): readonly Place[] {
  const boxes = new Map(request.cards.map((card) => [card.id, card]));
  const downwards = [...near].sort((a, b) => a.y - b.y);
  const inColumns = (columns: number): Place[] => {
    let y = 0;
    return Array.from({ length: Math.ceil(near.length / columns) }, (_, row) => {
      const cards = downwards.slice(row * columns, (row + 1) * columns).sort((a, b) => a.x - b.x);
      const top = y;
      y += Math.max(...cards.map(({ table }) => boxes.get(table)!.height)) + ABOVE;
      const width = boxes.get(cards[0]!.table)!.width + BESIDE;
      return cards.map(({ table }, i) => ({ table, x: i * width, y: top }));
    }).flat();
  };
  return near
    .map((_, i) => inColumns(i + 1))
    .reduce((best, other) => (scale(other, request) > scale(best, request) ? other : best));
}
