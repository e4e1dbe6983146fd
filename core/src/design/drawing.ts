import * as v from 'valibot';

const Coordinate = v.pipe(v.number(), v.minValue(-1e6), v.maxValue(1e6));
const Text = v.pipe(v.string(), v.maxLength(200));

/** A map of tables and links as it is printed: cards and the lines between them, in pixels of the screen. */
export const MapDrawing = v.object({
  title: Text,
  width: v.pipe(Coordinate, v.minValue(1)),
  height: v.pipe(Coordinate, v.minValue(1)),
  cards: v.pipe(
    v.array(
      v.object({
        x: Coordinate,
        y: Coordinate,
        width: Coordinate,
        height: Coordinate,
        title: Text,
        lines: v.pipe(v.array(v.object({ text: Text, link: v.boolean() })), v.maxLength(50)),
        foot: Text,
      }),
    ),
    v.maxLength(2000),
  ),
  /** Outlines in the path language of SVG. */
  links: v.pipe(
    v.array(v.pipe(v.string(), v.maxLength(2000), v.regex(/^[MLHVAahvml0-9eE .,-]*$/, 'This is no path.'))),
    v.maxLength(8000),
  ),
});

export type MapDrawing = v.InferOutput<typeof MapDrawing>;

/** Sizes inside a card, in pixels: the screen, SVG and PDF draw it alike. */
export const CARD = { padding: 12, title: 25, first: 48, line: 20, foot: 9 } as const;

export const MAP_COLOURS = {
  paper: '#fffdf9',
  edge: '#d8d4c8',
  ink: '#1f2a26',
  soft: '#5b6762',
  link: '#7d857b',
  lookup: '#643c74',
} as const;

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (char) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[char]!);

/** The map as a document of its own in SVG. */
export function mapSvg({ title, width, height, cards, links }: MapDrawing): string {
  const { paper, edge, ink, soft, link: line, lookup } = MAP_COLOURS;
  const text = (x: number, y: number, fill: string, content: string, rest = ''): string =>
    `<text x="${x}" y="${y}" fill="${fill}"${rest}>${escaped(content)}</text>`;
  const drawn = cards.map((card) => {
    const x = card.x + CARD.padding;
    const foot = card.y + card.height;
    return [
      `<rect x="${card.x}" y="${card.y}" width="${card.width}" height="${card.height}" rx="7" fill="${paper}" stroke="${edge}"/>`,
      text(x, card.y + CARD.title, ink, card.title, ' font-size="14" font-weight="700"'),
      ...card.lines.map((item, i) =>
        text(x, card.y + CARD.first + i * CARD.line, item.link ? lookup : ink, item.text),
      ),
      `<path d="M${card.x} ${foot - 28}h${card.width}" stroke="${edge}"/>`,
      text(x, foot - CARD.foot, soft, card.foot),
    ].join('');
  });
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" ` +
    `font-family="'Atkinson Hyperlegible', 'Noto Sans', sans-serif" font-size="12.5"><title>${escaped(title)}</title>` +
    `<rect width="100%" height="100%" fill="#fff"/>` +
    links.map((d) => `<path d="${d}" fill="none" stroke="${line}" stroke-width="1.5"/>`).join('') +
    `${drawn.join('')}</svg>`
  );
}
