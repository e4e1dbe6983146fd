/** A card on the map. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** SVG paths of a link: its line, and its crow's-foot ends (at the one, at the many). */
export interface LinkShape {
  readonly path: string;
  readonly one: string;
  readonly many: string;
}

/** A link to draw: from the table looked up (`one`) to the table that looks it up (`many`). */
export interface LinkEnds {
  readonly one: Box;
  readonly many: Box;
  /** Rows of the many may have no partner. */
  readonly optional: boolean;
  /** No two rows of the many share a partner. */
  readonly single: boolean;
}

/** Where a line meets a card: a side of it, and a place along that side that can still move. */
interface Anchor {
  readonly box: Box;
  readonly side: 'left' | 'right' | 'top' | 'bottom';
  /** Where the line would best arrive, and what decides who lies before whom. */
  readonly wish: number;
  readonly order: number;
  at: number;
  /** How far from the middle one of its side, in places. */
  rank: number;
}

/** Least distance of two lines on one side of a card where there is room, and from its corners. */
const APART = 24;
const CORNER = 18;
const STUB = 22;

/** Cards that lie over one another by so much are joined from top to bottom. */
const OVER = 40;

/**
 * Lines at right angles, with crow's-foot ends: at the one a bar, crossed by a second bar when every row
 * needs its partner and by a circle when it may have none; at the many three toes, or a bar when no two rows
 * may share a partner. Lines that meet one side of a card are kept apart.
 */
export function linkPaths(links: readonly LinkEnds[]): LinkShape[] {
  const loops = new Map<Box, number>();
  const routes = links.map((link) => {
    if (link.one !== link.many) return { link, anchors: anchorsOf(link) };
    const beside = loops.get(link.one) ?? 0;
    loops.set(link.one, beside + 1);
    return { link, beside };
  });
  spread(routes.flatMap((route) => ('anchors' in route ? route.anchors! : [])));
  return routes.map((route) =>
    route.anchors ? line(route.link, route.anchors) : loop(route.link, route.beside ?? 0),
  );
}

function anchorsOf({ one, many }: LinkEnds): readonly [Anchor, Anchor] {
  const centre = (box: Box) => ({ x: box.x + box.width / 2, y: box.y + box.height / 2 });
  const [a, b] = [centre(one), centre(many)];
  const [left, right] = [Math.max(one.x, many.x), Math.min(one.x + one.width, many.x + many.width)];
  const anchor = (box: Box, side: Anchor['side'], wish: number, order: number): Anchor => {
    const [start, length] = extentOf({ box, side });
    const at = clamp(wish, start + CORNER, start + length - CORNER);
    return { box, side, wish: at, order, at, rank: 0 };
  };
  const [top, bottom] = [Math.max(one.y, many.y), Math.min(one.y + one.height, many.y + many.height)];
  // Beside one another they must leave room for both ends; else the line would run behind a card.
  const cramped = left - right < 2 * STUB && top - bottom > left - right;
  if (right - left > OVER || cramped) {
    const down = b.y > a.y;
    const x = (left + right) / 2;
    return [anchor(one, down ? 'bottom' : 'top', x, b.x), anchor(many, down ? 'top' : 'bottom', x, a.x)];
  }
  const east = b.x > a.x;
  return [anchor(one, east ? 'right' : 'left', b.y, b.y), anchor(many, east ? 'left' : 'right', a.y, a.y)];
}

const isUpright = (side: Anchor['side']): boolean => side === 'left' || side === 'right';

const extentOf = ({ box, side }: Pick<Anchor, 'box' | 'side'>): [start: number, length: number] =>
  isUpright(side) ? [box.y, box.height] : [box.x, box.width];

/** Moves the ends on one side of a card apart, each as little as may be. */
function spread(anchors: readonly Anchor[]): void {
  const sides = new Map<Box, Map<string, Anchor[]>>();
  for (const anchor of anchors) {
    const own = sides.get(anchor.box) ?? new Map<string, Anchor[]>();
    sides.set(anchor.box, own);
    own.set(anchor.side, [...(own.get(anchor.side) ?? []), anchor]);
  }
  for (const own of sides.values())
    for (const group of own.values()) {
      if (group.length < 2) continue;
      group.sort((a, b) => a.wish - b.wish || a.order - b.order);
      const [start, length] = extentOf(group[0]!);
      const apart = Math.min(APART, (length - 2 * CORNER) / (group.length - 1));
      let least = start + CORNER;
      for (const anchor of group) {
        anchor.at = Math.max(anchor.wish, least);
        least = anchor.at + apart;
      }
      let most = start + length - CORNER;
      for (const anchor of [...group].reverse()) {
        anchor.at = Math.min(anchor.at, most);
        most = anchor.at - apart;
      }
      group.forEach((anchor, i) => (anchor.rank = i - (group.length - 1) / 2));
    }
}

function line({ optional, single }: LinkEnds, [a, b]: readonly [Anchor, Anchor]): LinkShape {
  if (isUpright(a.side)) {
    const right = a.side === 'right' ? 1 : -1;
    const [x1, x2] = right > 0 ? [a.box.x + a.box.width, b.box.x] : [a.box.x, b.box.x + b.box.width];
    const room = Math.max(0, Math.abs(x2 - x1) / 2 - STUB);
    const middle = (x1 + x2) / 2 + clamp(a.rank * 8, -room, room);
    return {
      path: `M${x1} ${a.at}H${middle}V${b.at}H${x2}`,
      one: ends(x1, a.at, right, 0, optional),
      many: toes(x2, b.at, -right, 0, single),
    };
  }
  const down = a.side === 'bottom' ? 1 : -1;
  const [y1, y2] = down > 0 ? [a.box.y + a.box.height, b.box.y] : [a.box.y, b.box.y + b.box.height];
  return {
    path:
      a.at === b.at ? `M${a.at} ${y1}V${y2}` : `M${a.at} ${y1}V${(y1 + y2) / 2 + a.rank * 8}H${b.at}V${y2}`,
    one: ends(a.at, y1, 0, down, optional),
    many: toes(b.at, y2, 0, -down, single),
  };
}

/** A table that links to itself: out at the right, in at the top; a second such loop lies outside the first. */
function loop({ one, optional, single }: LinkEnds, beside: number): LinkShape {
  const [x, y] = [one.x + one.width, one.y];
  const out = STUB + 12 + beside * 12;
  const path = `M${x} ${y + 24}h${out}v${-48 + 10 - beside * 8}H${x - 40 - beside * 20}v${14 + beside * 8}`;
  return { path, one: ends(x, y + 24, 1, 0, optional), many: toes(x - 40 - beside * 20, y, 0, -1, single) };
}

const clamp = (value: number, least: number, most: number): number => Math.min(Math.max(value, least), most);

/** Bars across the line, `dx, dy` pointing away from the card. */
function ends(x: number, y: number, dx: number, dy: number, optional: boolean): string {
  const bar = (at: number): string =>
    `M${x + dx * at - dy * 6} ${y + dy * at - dx * 6}L${x + dx * at + dy * 6} ${y + dy * at + dx * 6}`;
  if (!optional) return bar(8) + bar(13);
  const [cx, cy] = [x + dx * 17, y + dy * 17];
  return `${bar(8)}M${cx - 4} ${cy}a4 4 0 1 0 8 0a4 4 0 1 0 -8 0`;
}

function toes(x: number, y: number, dx: number, dy: number, single: boolean): string {
  if (single)
    return `M${x + dx * 9 - dy * 6} ${y + dy * 9 - dx * 6}L${x + dx * 9 + dy * 6} ${y + dy * 9 + dx * 6}`;
  const [tx, ty] = [x + dx * 13, y + dy * 13];
  return `M${tx} ${ty}L${x - dy * 7} ${y - dx * 7}M${tx} ${ty}L${x + dy * 7} ${y + dx * 7}`;
}
