import {
  add,
  decimal,
  fromText,
  isNumeric,
  showValue,
  toText,
  type Decimal,
  type Locale,
  type Value,
  type ValueKind,
} from '../values';

export type FontName = 'regular' | 'bold';

/** The width of a text in points, set in a font at a size in points. */
export type Measure = (text: string, font: FontName, size: number) => number;

/** What stands on a page. Coordinates and sizes in points (1/72 inch) from the top left corner. */
export type PageMark =
  | {
      readonly item: 'text';
      /** The left end of the text, or its right end when `align` is `right`. */
      readonly x: number;
      /** The baseline. */
      readonly y: number;
      readonly text: string;
      readonly font: FontName;
      readonly size: number;
      readonly align: 'left' | 'right';
      readonly colour: 'ink' | 'soft';
    }
  | {
      readonly item: 'line';
      readonly x1: number;
      readonly x2: number;
      readonly y: number;
      readonly weight: number;
      readonly colour: 'line' | 'moss';
    };

export interface Page {
  readonly items: readonly PageMark[];
}

/** Laid out once; the screen and the PDF paint the same items. */
export interface PageModel {
  readonly title: string;
  /** Points. */
  readonly width: number;
  readonly height: number;
  readonly pages: readonly Page[];
  /** The sums of the whole report, by column, as decimal text. */
  readonly totals: Readonly<Record<string, string>>;
  readonly rowCount: number;
}

export interface ReportColumn {
  readonly id: string;
  readonly label: string;
  readonly kind: ValueKind;
  readonly sum: boolean;
  /** Share of the page's width relative to the other columns; by default what its values need. */
  readonly share?: number | undefined;
}

export interface ReportInput {
  readonly title: string;
  /** A line under the title: where the rows come from, and when. */
  readonly subtitle: string;
  readonly columns: readonly ReportColumn[];
  /** Values in the order of the columns; the group's value, when there is one, last. */
  readonly rows: readonly (readonly Value[])[];
  readonly group: { readonly label: string; readonly kind: ValueKind; readonly newPage: boolean } | null;
  readonly paper: 'A4 tall' | 'A4 wide';
  readonly locale: Locale;
  readonly measure: Measure;
}

/** ISO 216 A4 is 210 mm x 297 mm. */
const A4 = { short: (210 / 25.4) * 72, long: (297 / 25.4) * 72 };
const MARGIN = 42;
const SIZE = 9;
const LINE = 15;
const GAP = 10;
const PAD = 3;

/** Cuts a text to a width, with an ellipsis when something is left out. */
export function fitText(text: string, width: number, measure: (text: string) => number): string {
  const line = text.replace(/\s+/g, ' ');
  if (measure(line) <= width) return line;
  const chars = [...line];
  let [low, high] = [0, chars.length];
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (measure(`${chars.slice(0, middle).join('').trimEnd()}…`) <= width) low = middle;
    else high = middle - 1;
  }
  return low === 0 ? '' : `${chars.slice(0, low).join('').trimEnd()}…`;
}

/**
 * The widths of columns, in points, that fill `total`: each in proportion to what its heading and the
 * widest of its first values need, but no column less than its heading's longest word.
 */
function columnWidths(input: ReportInput, shown: readonly (readonly string[])[], total: number): number[] {
  const needs = input.columns.map((column, i) => {
    if (column.share !== undefined) return column.share * 80;
    const heading = input.measure(column.label, 'bold', SIZE);
    const values = shown.slice(0, 300).map((row) => input.measure(row[i] ?? '', 'regular', SIZE));
    return Math.min(Math.max(heading, ...values, 20) + PAD, 240);
  });
  const room = total - GAP * (needs.length - 1);
  const sum = needs.reduce((a, b) => a + b, 0);
  return needs.map((need) => (need / sum) * room);
}

/**
 * Lays a report out on pages: title and subtitle once, the head of each page with its number, column
 * headings on every page, a heading, its rows and its sums for each group (in the order in which the
 * groups first come), and the sums of the whole. A group's heading never stands alone at the foot of a
 * page, and neither do sums at the top of one without a row before them when it can be helped.
 */
export function layoutReport(input: ReportInput): PageModel {
  const wide = input.paper === 'A4 wide';
  const width = wide ? A4.long : A4.short;
  const height = wide ? A4.short : A4.long;
  const shown = input.rows.map((row) =>
    input.columns.map((column, i) => showValue(column.kind, row[i] ?? null, input.locale)),
  );
  const painter = new Painter(input, width, height, columnWidths(input, shown, width - 2 * MARGIN));
  const groups = groupRows(input);
  const grand = new Sums(input.columns);
  groups.forEach(({ heading, rows }, g) => {
    const sums = new Sums(input.columns);
    if (input.group) painter.groupHeading(heading, g > 0 && input.group.newPage);
    rows.forEach((index, i) => {
      // The last row takes the sums' line with it.
      painter.row(shown[index]!, input.group && i === rows.length - 1 ? 2 : 1);
      sums.add(input.rows[index]!);
      grand.add(input.rows[index]!);
    });
    if (input.group)
      painter.sums(`${rows.length} ${rows.length === 1 ? 'row' : 'rows'}`, sums.shown(input.locale));
  });
  if (input.rows.length === 0) painter.note('No rows: nothing to show.');
  else
    painter.sums(
      `All ${input.rows.length} ${input.rows.length === 1 ? 'row' : 'rows'}`,
      grand.shown(input.locale),
      true,
    );
  return {
    title: input.title,
    width,
    height,
    pages: painter.finish(),
    totals: grand.texts(),
    rowCount: input.rows.length,
  };
}

function groupRows(input: ReportInput): { heading: string; rows: number[] }[] {
  if (!input.group) return [{ heading: '', rows: input.rows.map((_, i) => i) }];
  const { kind } = input.group;
  const found = new Map<Value, number[]>();
  input.rows.forEach((row, i) => {
    const value = row[input.columns.length] ?? null;
    const rows = found.get(value);
    if (rows) rows.push(i);
    else found.set(value, [i]);
  });
  return [...found].map(([value, rows]) => ({
    heading: value === null ? `No ${input.group!.label.toLowerCase()}` : showValue(kind, value, input.locale),
    rows,
  }));
}

/** Exact sums of the columns that ask for one. */
class Sums {
  private readonly sums: (Decimal | null)[];

  constructor(private readonly columns: readonly ReportColumn[]) {
    this.sums = columns.map(({ sum, kind }) =>
      sum ? decimal(0n, 'places' in kind ? kind.places : 0) : null,
    );
  }

  add(row: readonly Value[]): void {
    this.sums.forEach((sum, i) => {
      const value = sum === null || row[i] === null ? null : fromText(String(row[i]));
      if (sum !== null && value !== null) this.sums[i] = add(sum, value);
    });
  }

  shown(locale: Locale): string[] {
    return this.sums.map((sum, i) =>
      sum === null ? '' : showValue(this.columns[i]!.kind, toText(sum), locale),
    );
  }

  texts(): Record<string, string> {
    return Object.fromEntries(
      this.sums.flatMap((sum, i) => (sum === null ? [] : [[this.columns[i]!.id, toText(sum)]])),
    );
  }
}

class Painter {
  private readonly pages: PageMark[][] = [];
  private readonly columns: { x: number; width: number; right: boolean }[];
  private y = 0;
  private heading: string | null = null;

  constructor(
    private readonly input: ReportInput,
    private readonly width: number,
    private readonly height: number,
    widths: readonly number[],
  ) {
    let x = MARGIN;
    this.columns = widths.map((columnWidth, i) => {
      const column = { x, width: columnWidth, right: isNumeric(input.columns[i]!.kind) };
      x += columnWidth + GAP;
      return column;
    });
    this.newPage();
  }

  groupHeading(text: string, onNewPage: boolean): void {
    this.heading = null;
    // Heading, first row and sums stay together.
    if (onNewPage) this.newPage();
    else this.room(5);
    this.y += this.y > this.top ? 8 : 2;
    this.text(MARGIN, this.fit(text, this.width - 2 * MARGIN, 'bold', 11), 'bold', 11);
    this.y += 5;
    this.line(1, 'moss');
    this.y += 2;
    this.heading = text;
    this.y += LINE - 5;
  }

  row(values: readonly string[], lines: number): void {
    this.room(lines);
    this.cells(values, 'regular');
    this.y += 4.5;
    this.line(0.4, 'line');
    this.y += LINE - 4.5;
  }

  sums(label: string, values: readonly string[], last = false): void {
    this.room(last ? 2 : 1);
    if (last) {
      this.y += 6;
      this.items.push({
        item: 'line',
        x1: MARGIN,
        x2: this.width - MARGIN,
        y: this.y - 11,
        weight: 1,
        colour: 'moss',
      });
    }
    const first = values[0] === '' ? this.columns[0]! : null;
    const free = values.findIndex((value) => value !== '');
    const until = free < 0 ? this.width - MARGIN : this.columns[free]!.x - GAP;
    if (first) this.text(first.x, this.fit(label, until - first.x, 'bold', SIZE), 'bold', SIZE);
    this.cells(values, 'bold');
    this.y += LINE;
  }

  note(text: string): void {
    this.text(MARGIN, text, 'regular', SIZE, 'soft');
    this.y += LINE;
  }

  finish(): Page[] {
    const { pages } = this;
    return pages.map((items, i) => {
      const number = `Page ${i + 1} of ${pages.length}`;
      const head: PageMark = {
        item: 'text',
        x: this.width - MARGIN,
        y: MARGIN,
        text: number,
        font: 'regular',
        size: 8,
        align: 'right',
        colour: 'soft',
      };
      return { items: [head, ...items] };
    });
  }

  private get items(): PageMark[] {
    return this.pages[this.pages.length - 1]!;
  }

  private top = 0;

  private newPage(): void {
    const first = this.pages.length === 0;
    this.pages.push([]);
    this.y = MARGIN;
    if (first) {
      this.y += 16;
      this.text(MARGIN, this.fit(this.input.title, this.width - 2 * MARGIN - 80, 'bold', 16), 'bold', 16);
      this.y += 15;
      this.text(
        MARGIN,
        this.fit(this.input.subtitle, this.width - 2 * MARGIN, 'regular', 8),
        'regular',
        8,
        'soft',
      );
      this.y += 24;
    } else {
      this.text(MARGIN, this.fit(this.input.title, this.width / 2, 'regular', 8), 'regular', 8, 'soft');
      this.y += 22;
    }
    this.cells(
      this.input.columns.map(({ label }) => label),
      'bold',
    );
    this.y += 5;
    this.line(0.8, 'line');
    this.y += LINE - 2;
    this.top = this.y;
    if (this.heading !== null) {
      this.text(
        MARGIN,
        this.fit(`${this.heading}, continued`, this.width - 2 * MARGIN, 'bold', SIZE),
        'bold',
        SIZE,
        'soft',
      );
      this.y += LINE;
    }
  }

  private room(lines: number): void {
    if (this.y + lines * LINE > this.height - MARGIN) this.newPage();
  }

  private cells(values: readonly string[], font: FontName): void {
    values.forEach((value, i) => {
      const column = this.columns[i]!;
      if (value === '') return;
      const text = this.fit(value, column.width, font, SIZE);
      if (column.right)
        this.items.push({
          item: 'text',
          x: column.x + column.width,
          y: this.y,
          text,
          font,
          size: SIZE,
          align: 'right',
          colour: 'ink',
        });
      else this.text(column.x, text, font, SIZE);
    });
  }

  private fit(text: string, width: number, font: FontName, size: number): string {
    return fitText(text, width, (part) => this.input.measure(part, font, size));
  }

  private text(x: number, text: string, font: FontName, size: number, colour: 'ink' | 'soft' = 'ink'): void {
    this.items.push({ item: 'text', x, y: this.y, text, font, size, align: 'left', colour });
  }

  private line(weight: number, colour: 'line' | 'moss'): void {
    this.items.push({ item: 'line', x1: MARGIN, x2: this.width - MARGIN, y: this.y, weight, colour });
  }
}
