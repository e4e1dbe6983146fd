import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import * as fontkit from 'fontkit';
import type { Font } from 'fontkit';
import type { FontName } from '@heathridge/core/report';

const require = createRequire(import.meta.url);

/** A font file and the name it has in a PDF. */
export interface FontFile {
  readonly name: string;
  readonly data: Buffer;
  readonly font: Font;
}

const ATKINSON = '@fontsource/atkinson-hyperlegible/files/atkinson-hyperlegible';
const NOTO = '@fontsource/noto-sans/files/noto-sans';

function load(name: string, file: string): FontFile {
  const data = readFileSync(require.resolve(file));
  return { name, data, font: fontkit.create(data) as Font };
}

/**
 * For each weight the files in the order in which a letter is looked for. WOFF, not WOFF2: from the
 * latter's packed outlines the PDF writer embeds empty glyphs.
 */
function family(weight: 400 | 700): FontFile[] {
  return [
    ...['latin', 'latin-ext'].map((subset) =>
      load(`atkinson-${subset}-${weight}`, `${ATKINSON}-${subset}-${weight}-normal.woff`),
    ),
    ...['latin', 'latin-ext', 'greek', 'cyrillic', 'vietnamese'].map((subset) =>
      load(`noto-${subset}-${weight}`, `${NOTO}-${subset}-${weight}-normal.woff`),
    ),
  ];
}

let loaded: Record<FontName, FontFile[]> | undefined;

export const fonts = (): Record<FontName, FontFile[]> =>
  (loaded ??= { regular: family(400), bold: family(700) });

export interface Run {
  readonly file: FontFile;
  readonly text: string;
}

/** Cuts a text into runs of letters that one font file has; a letter that none has stays with the first. */
export function runsOf(text: string, font: FontName): Run[] {
  const files = fonts()[font];
  const runs: { file: FontFile; text: string }[] = [];
  for (const char of text) {
    const code = char.codePointAt(0)!;
    const file = files.find((candidate) => candidate.font.hasGlyphForCodePoint(code)) ?? files[0]!;
    const last = runs[runs.length - 1];
    if (last?.file === file) last.text += char;
    else runs.push({ file, text: char });
  }
  return runs;
}

const widths = new Map<string, number>();

/** The width of a text in points. */
export function measureText(text: string, font: FontName, size: number): number {
  const key = `${font} ${text}`;
  let perEm = widths.get(key);
  if (perEm === undefined) {
    perEm = runsOf(text, font).reduce(
      (sum, run) => sum + run.file.font.layout(run.text).advanceWidth / run.file.font.unitsPerEm,
      0,
    );
    if (widths.size > 50_000) widths.clear();
    widths.set(key, perEm);
  }
  return perEm * size;
}
