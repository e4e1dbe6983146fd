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

const STUB = 22;

/**
 * The line from the table looked up (`one`) to the table that looks it up (`many`), at right angles, with
 * crow's-foot ends: at the one a bar, crossed by a second bar when every row needs its partner and by a
 * circle when it may have none; at the many three toes, or a bar when no two rows may share a partner.
 */
export function linkPath(
  one: Box,
  many: Box,
  { optional, single }: { optional: boolean; single: boolean },
): LinkShape {
  const centre = (box: Box): { x: number; y: number } => ({
    x: box.x + box.width / 2,
    y: box.y + box.height / 2,
  });
  const [a, b] = [centre(one), centre(many)];
  if (one === many) {
    const [x, y] = [one.x + one.width, one.y];
    const path = `M${x} ${y + 24}h${STUB + 12}v${-48 + 10}H${x - 40}v${14}`;
    return { path, one: ends(x, y + 24, 1, 0, optional), many: toes(x - 40, y, 0, -1, single) };
  }
  const overlap = Math.min(one.x + one.width, many.x + many.width) - Math.max(one.x, many.x);
  if (overlap > 40) {
    const down = b.y > a.y ? 1 : -1;
    const x1 = Math.max(one.x, many.x) + overlap / 2;
    const [y1, y2] = down > 0 ? [one.y + one.height, many.y] : [one.y, many.y + many.height];
    return {
      path: `M${x1} ${y1}V${y2}`,
      one: ends(x1, y1, 0, down, optional),
      many: toes(x1, y2, 0, -down, single),
    };
  }
  const right = b.x > a.x ? 1 : -1;
  const [x1, x2] = right > 0 ? [one.x + one.width, many.x] : [one.x, many.x + many.width];
  const middle = (x1 + x2) / 2;
  const y1 = clamp(b.y, one.y + 18, one.y + one.height - 18);
  const y2 = clamp(a.y, many.y + 18, many.y + many.height - 18);
  return {
    path: `M${x1} ${y1}H${middle}V${y2}H${x2}`,
    one: ends(x1, y1, right, 0, optional),
    many: toes(x2, y2, -right, 0, single),
  };
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
