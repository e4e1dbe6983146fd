import { download } from '../shared/download';

/** What a shape or a text takes over from the page, so that it looks the same without it. */
const TAKEN = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-linejoin',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
];
/** Pixels of a picture for each of the drawing: sharp on paper. */
const SHARP = 2;
/** Pixels of paper around the drawing. */
const EDGE = 12;

/** The drawing as a document of its own (SVG 1.1), with a title above it, on paper. */
export function standalone(
  svg: SVGSVGElement,
  title: string,
): { readonly text: string; readonly width: number; readonly height: number } {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const [width, height] = [svg.width.baseVal.value + 2 * EDGE, svg.height.baseVal.value + 2 * EDGE + 26];
  const theirs = svg.querySelectorAll('*');
  for (const [i, node] of copy.querySelectorAll('*').entries()) {
    const style = getComputedStyle(theirs[i]!);
    for (const name of TAKEN) {
      const value = style.getPropertyValue(name);
      if (value !== '' && value !== 'normal') node.setAttribute(name, value);
    }
    node.removeAttribute('style');
    node.removeAttribute('class');
    for (const { name } of [...node.attributes]) if (name.startsWith('_ng')) node.removeAttribute(name);
  }
  const make = (name: string, attributes: Readonly<Record<string, string>>, text = ''): SVGElement => {
    const node = document.createElementNS('http://www.w3.org/2000/svg', name);
    for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
    node.textContent = text;
    return node;
  };
  const page = getComputedStyle(svg);
  const whole = make('svg', {
    xmlns: 'http://www.w3.org/2000/svg',
    width: String(width),
    height: String(height),
    viewBox: `0 0 ${width} ${height}`,
  });
  const inner = make('g', { transform: `translate(${EDGE},${EDGE + 26})` });
  inner.append(...copy.childNodes);
  whole.append(
    make('title', {}, title),
    make('rect', {
      width: '100%',
      height: '100%',
      fill: page.getPropertyValue('--hr-paper').trim() === '' ? '#fff' : paperOf(svg),
    }),
    make(
      'text',
      {
        x: String(EDGE),
        y: String(EDGE + 14),
        'font-size': '16',
        'font-weight': 'bold',
        'font-family': page.fontFamily,
        fill: page.color,
      },
      title,
    ),
    inner,
  );
  return { text: new XMLSerializer().serializeToString(whole), width, height };
}

/** The colour of what it stands on. */
function paperOf(element: Element): string {
  for (let at: Element | null = element; at; at = at.parentElement) {
    const { backgroundColor } = getComputedStyle(at);
    if (backgroundColor !== 'rgba(0, 0, 0, 0)' && backgroundColor !== 'transparent') return backgroundColor;
  }
  return '#fff';
}

const nameOf = (title: string): string => title.replace(/[\\/:*?"<>|\p{Cc}]+/gu, ' ').trim() || 'Chart';

export function saveSvg(svg: SVGSVGElement, title: string): void {
  const { text } = standalone(svg, title);
  download(new Blob([text], { type: 'image/svg+xml' }), `${nameOf(title)}.svg`);
}

/** Saves a picture of the drawing; false where the browser cannot make one. */
export async function savePng(svg: SVGSVGElement, title: string): Promise<boolean> {
  const made = await pngOf(svg, title);
  if (made) download(made, `${nameOf(title)}.png`);
  return made !== null;
}

/** The drawing as PNG; null where the browser cannot make one. */
export async function pngOf(svg: SVGSVGElement, title: string): Promise<Blob | null> {
  const { text, width, height } = standalone(svg, title);
  const address = URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
  try {
    const image = new Image();
    image.src = address;
    await image.decode();
    const canvas = document.createElement('canvas');
    canvas.width = width * SHARP;
    canvas.height = height * SHARP;
    const paint = canvas.getContext('2d');
    if (!paint) return null;
    paint.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise((resolve) => canvas.toBlob(resolve, 'image/png'));
  } catch {
    // A drawing that does not decode is told to whoever asked.
    return null;
  } finally {
    URL.revokeObjectURL(address);
  }
}
