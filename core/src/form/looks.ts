import type { Form } from '../design';

/** How the screens of a file look: a shape of their headings, and a colour. */
export type FormLook = NonNullable<Form['look']>;

/** Looks to begin with; each colour can be another. */
export const LOOKS: readonly { readonly label: string; readonly look: FormLook }[] = [
  { label: 'Quiet, moss', look: { shape: 'quiet', colour: '#2c6a4f' } },
  { label: 'Bands, heather', look: { shape: 'bands', colour: '#7a4b8c' } },
  { label: 'Rules, slate', look: { shape: 'rules', colour: '#41586b' } },
  { label: 'Tints, gorse', look: { shape: 'tints', colour: '#a86f00' } },
];

type Rgb = readonly [red: number, green: number, blue: number];

const rgbOf = (hex: string): Rgb => {
  const channel = (at: number): number => parseInt(hex.slice(at, at + 2), 16);
  return [channel(1), channel(3), channel(5)];
};
const hexOf = (rgb: Rgb): string =>
  `#${rgb.map((channel) => Math.round(channel).toString(16).padStart(2, '0')).join('')}`;

/** So much of one colour, and the rest of the other. */
const mixed = (a: Rgb, b: Rgb, share: number): Rgb =>
  a.map((channel, i) => channel * share + b[i]! * (1 - share)) as unknown as Rgb;

/** The relative luminance of a colour in sRGB, from 0 to 1: as WCAG 2.2 defines it. */
function luminance(rgb: Rgb): number {
  const [red, green, blue] = rgb.map((channel) => {
    const part = channel / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * red! + 0.7152 * green! + 0.0722 * blue!;
}

/** The contrast of two colours, written `#rrggbb`, from 1 to 21: as WCAG 2.2 defines it. */
export function contrast(a: string, b: string): number {
  const [lighter, darker] = [luminance(rgbOf(a)), luminance(rgbOf(b))].sort((x, y) => y - x);
  return (lighter! + 0.05) / (darker! + 0.05);
}

/** Text has at least this contrast to what it lies on: WCAG 2.2, 1.4.3, for level AA. */
const LEAST = 4.5;

/** What forms lie on in the light and in the dark, what is farther away than any ink, and how much colour a tint has. */
const GROUNDS = {
  light: { paper: '#fffdf9', end: '#000000', share: 0.13 },
  dark: { paper: '#1d2321', end: '#ffffff', share: 0.22 },
} as const;

/** A colour for what is written, and one for what lies beneath it. */
export interface Shades {
  readonly ink: string;
  readonly tint: string;
}

/**
 * The shades of a colour, in the light or in the dark: the ink is as near to it as can be read on paper, on the tint,
 * and with paper written on it.
 */
export function shadesOf(colour: string, scheme: keyof typeof GROUNDS): Shades {
  const { paper, end, share } = GROUNDS[scheme];
  const tint = hexOf(mixed(rgbOf(colour), rgbOf(paper), share));
  for (let step = 0; step <= 20; step++) {
    const ink = hexOf(mixed(rgbOf(end), rgbOf(colour), step / 20));
    if (contrast(ink, paper) >= LEAST && contrast(ink, tint) >= LEAST) return { ink, tint };
  }
  return { ink: end, tint };
}
