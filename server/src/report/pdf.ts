import PDFDocument from 'pdfkit';
import type { PageModel } from '@heathridge/core/report';
import { fonts, measureText, runsOf } from './fonts';

const COLOURS = { ink: '#1f2a26', soft: '#5b6762', line: '#d8d4c8', moss: '#2c6a4f' };

/** Paints a page model as PDF: every item exactly where the screen shows it. */
export async function paintPdf(model: PageModel): Promise<Uint8Array> {
  const doc = new PDFDocument({
    size: [model.width, model.height],
    margin: 0,
    autoFirstPage: false,
    info: { Title: model.title, Creator: 'Heathridge' },
    lang: 'en',
  });
  const chunks: Buffer[] = [];
  doc.on('data', (chunk: Buffer) => chunks.push(chunk));
  const ended = new Promise<void>((resolve, reject) => {
    doc.on('end', resolve);
    doc.on('error', reject);
  });
  for (const file of [...fonts().regular, ...fonts().bold]) doc.registerFont(file.name, file.data);
  for (const page of model.pages) {
    doc.addPage();
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
      let x = item.align === 'right' ? item.x - measureText(item.text, item.font, item.size) : item.x;
      for (const run of runsOf(item.text, item.font)) {
        doc.font(run.file.name).fontSize(item.size).fillColor(COLOURS[item.colour]);
        doc.text(run.text, x, item.y, { lineBreak: false, baseline: 'alphabetic' });
        x += (run.file.font.layout(run.text).advanceWidth / run.file.font.unitsPerEm) * item.size;
      }
    }
  }
  doc.end();
  await ended;
  return Buffer.concat(chunks);
}
