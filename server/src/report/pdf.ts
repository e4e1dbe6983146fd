import PDFDocument from 'pdfkit';
import { CARD, MAP_COLOURS, type MapDrawing } from '@heathridge/core/design';
import type { FontName, PageModel } from '@heathridge/core/report';
import { fonts, measureText, runsOf } from './fonts';

const COLOURS = { ink: '#1f2a26', soft: '#5b6762', line: '#d8d4c8', moss: '#2c6a4f' };

type Document = InstanceType<typeof PDFDocument>;

/** A PDF document without pages yet, painted by `paint`. */
async function painted(title: string, paint: (doc: Document) => void): Promise<Uint8Array> {
  const doc = new PDFDocument({
    margin: 0,
    autoFirstPage: false,
    info: { Title: title, Creator: 'Heathridge' },
    lang: 'en',
  });
  const chunks: Buffer[] = [];
  doc.on('data', (chunk: Buffer) => chunks.push(chunk));
  const ended = new Promise<void>((resolve, reject) => {
    doc.on('end', resolve);
    doc.on('error', reject);
  });
  for (const file of [...fonts().regular, ...fonts().bold]) doc.registerFont(file.name, file.data);
  paint(doc);
  doc.end();
  await ended;
  return Buffer.concat(chunks);
}

/** A line of text whose foot stands at `y`, in whichever fonts have its letters. */
function write(
  doc: Document,
  text: string,
  x: number,
  y: number,
  font: FontName,
  size: number,
  colour: string,
): void {
  let at = x;
  for (const run of runsOf(text, font)) {
    doc.font(run.file.name).fontSize(size).fillColor(colour);
    doc.text(run.text, at, y, { lineBreak: false, baseline: 'alphabetic' });
    at += (run.file.font.layout(run.text).advanceWidth / run.file.font.unitsPerEm) * size;
  }
}

/** Paints a page model as PDF: every item exactly where the screen shows it. */
export const paintPdf = (model: PageModel): Promise<Uint8Array> =>
  painted(model.title, (doc) => {
    for (const page of model.pages) {
      doc.addPage({ size: [model.width, model.height], margin: 0 });
      for (const item of page.items) {
        if (item.item === 'line') {
          doc
            .moveTo(item.x1, item.y)
            .lineTo(item.x2, item.y)
            .lineWidth(item.weight)
            .strokeColor(COLOURS[item.colour])
            .stroke();
          continue;
        }
        const x = item.align === 'right' ? item.x - measureText(item.text, item.font, item.size) : item.x;
        write(doc, item.text, x, item.y, item.font, item.size, COLOURS[item.colour]);
      }
    }
  });

/** Points of A4 lying on its side, and of the margin around a map. */
const SHEET = { width: 841.89, height: 595.28, margin: 36, head: 30 };

/** The text, cut with an ellipsis where it would be wider. */
function cut(text: string, font: FontName, size: number, most: number): string {
  if (measureText(text, font, size) <= most) return text;
  let start = text;
  while (start.length > 1 && measureText(`${start}…`, font, size) > most) start = start.slice(0, -1);
  return `${start.trimEnd()}…`;
}

/** Paints a map of tables and links on one sheet, as large as it goes. */
export const paintMap = (map: MapDrawing): Promise<Uint8Array> =>
  painted(map.title, (doc) => {
    const tall = map.height > map.width;
    const [width, height] = tall ? [SHEET.height, SHEET.width] : [SHEET.width, SHEET.height];
    doc.addPage({ size: [width, height], margin: 0 });
    write(doc, map.title, SHEET.margin, SHEET.margin + 12, 'bold', 14, MAP_COLOURS.ink);
    const scale = Math.min(
      1,
      (width - 2 * SHEET.margin) / map.width,
      (height - 2 * SHEET.margin - SHEET.head) / map.height,
    );
    doc.save();
    doc.translate(SHEET.margin, SHEET.margin + SHEET.head).scale(scale);
    for (const link of map.links) doc.path(link).lineWidth(1.5).strokeColor(MAP_COLOURS.link).stroke();
    for (const card of map.cards) {
      const [x, most] = [card.x + CARD.padding, card.width - 2 * CARD.padding];
      doc.lineWidth(1).roundedRect(card.x, card.y, card.width, card.height, 7);
      doc.fillAndStroke(MAP_COLOURS.paper, MAP_COLOURS.edge);
      write(doc, cut(card.title, 'bold', 14, most), x, card.y + CARD.title, 'bold', 14, MAP_COLOURS.ink);
      card.lines.forEach((line, i) => {
        const colour = line.link ? MAP_COLOURS.lookup : MAP_COLOURS.ink;
        const y = card.y + CARD.first + i * CARD.line;
        write(doc, cut(line.text, 'regular', 12.5, most), x, y, 'regular', 12.5, colour);
      });
      const foot = card.y + card.height;
      doc.moveTo(card.x, foot - 28).lineTo(card.x + card.width, foot - 28);
      doc.strokeColor(MAP_COLOURS.edge).stroke();
      write(doc, card.foot, x, foot - CARD.foot, 'regular', 12, MAP_COLOURS.soft);
    }
    doc.restore();
  });
