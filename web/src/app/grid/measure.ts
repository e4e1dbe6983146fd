/** The part of a column's texts that its width is to show whole: the longest few may be cut. */
const SHOWN = 0.95;
/** Pixels at both sides of a cell's text, and the widest that a column begins with. */
const PADDING = 26;
const WIDEST = 360;

let canvas: CanvasRenderingContext2D | null = null;

/**
 * The width in pixels in which nearly all of these texts can be read, in a font as CSS names it; 0 without any text.
 */
export function widthFor(texts: readonly string[], font: string): number {
  const filled = texts.filter((text) => text !== '');
  if (filled.length === 0) return 0;
  canvas ??= document.createElement('canvas').getContext('2d');
  if (!canvas) return 0;
  canvas.font = font;
  const widths = filled
    // Of long texts the beginning tells enough.
    .map((text) => canvas!.measureText(text.slice(0, 80)).width)
    .sort((a, b) => a - b);
  const wide = widths[Math.min(widths.length - 1, Math.floor(widths.length * SHOWN))]!;
  return Math.min(WIDEST, Math.ceil(wide) + PADDING);
}

/** Pixels of one text in a font as CSS names it; a guess where the browser does not measure. */
export function textWidth(text: string, font: string): number {
  canvas ??= document.createElement('canvas').getContext('2d');
  if (!canvas) return text.length * 7;
  canvas.font = font;
  return canvas.measureText(text).width;
}
