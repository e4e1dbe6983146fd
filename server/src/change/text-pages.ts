import { closeSync, openSync, readSync } from 'node:fs';

/** The pages of a table are otherwise than the format says: whoever reads them asks the engine instead. */
class OtherFormat extends Error {}

const LEAF = 13;
const INTERIOR = 5;
/** Where the pages begin on the first one: behind the header of the file. */
const HEADER = 100;

/** What the texts of a table are like, by the places of its columns. */
export interface TextFacts {
  /** Columns with a byte beyond ASCII, or a NUL; and those that some row does not hold itself. */
  readonly beyond: ReadonlySet<number>;
  /** Columns with a text of several lines, or of more bytes than were asked for. */
  readonly long: ReadonlySet<number>;
}

/**
 * Looks at every text of a table. The engine's own functions take several times as long for it: this reads the
 * table's b-tree and its records as they lie in the file ("Database File Format" of SQLite, 1.6 and 2.1), page by
 * page, whatever the size of the file. `root` is the table's first page, `columns` how many a record has. Null
 * where the table is no b-tree by row number, or is not as the format says.
 */
export function textFacts(path: string, root: number, columns: number, most: number): TextFacts | null {
  const file = openSync(path, 'r');
  try {
    const pages = new Pages(file);
    const records = new Records(pages, columns, most);
    walk(pages, root, (page, at) => records.look(page, at));
    return records;
  } catch (error) {
    if (error instanceof OtherFormat) return null;
    throw error;
  } finally {
    closeSync(file);
  }
}

/** Bytes that are read at once of pages that lie next to each other. */
const TOGETHER = 256 * 1024;

/** The pages of a file. */
class Pages {
  readonly size: number;
  /** Bytes of a page that hold something. */
  readonly usable: number;
  private reads = 0;
  private readonly most: number;
  /** Pages that were read at once, the number of their first, and that of the page that was asked for last. */
  private together: Buffer = Buffer.alloc(0);
  private first = 1;
  private last = -1;

  constructor(private readonly file: number) {
    const header = Buffer.alloc(HEADER);
    if (readSync(file, header, 0, HEADER, 0) < HEADER) throw new OtherFormat();
    const size = header.readUInt16BE(16);
    this.size = size === 1 ? 65_536 : size;
    this.usable = this.size - header[20]!;
    this.most = header.readUInt32BE(28);
    if (this.size < 512 || this.usable < 480) throw new OtherFormat();
  }

  /** A page, by its number from 1. Each is read once at most, unless they lead to one another in a circle. */
  read(number: number): Buffer {
    if (number < 1 || number > this.most || ++this.reads > this.most) throw new OtherFormat();
    if (number < this.first || number >= this.first + this.together.length / this.size) this.fetch(number);
    const at = (number - this.first) * this.size;
    this.last = number;
    return this.together.subarray(at, at + this.size);
  }

  /** Fetches a page, and with it those around it where pages are read that lie next to each other. */
  private fetch(number: number): void {
    const isNext = Math.abs(number - this.last) === 1;
    const many = isNext ? Math.max(1, Math.floor(TOGETHER / this.size)) : 1;
    this.first = isNext ? number - ((number - 1) % many) : number;
    // Pages that were given out are still in use: these take no place of theirs.
    const bytes = Buffer.allocUnsafe(Math.min(many, this.most - this.first + 1) * this.size);
    const count = readSync(this.file, bytes, 0, bytes.length, (this.first - 1) * this.size);
    this.together = bytes.subarray(0, count - (count % this.size));
    if (number >= this.first + this.together.length / this.size) throw new OtherFormat();
  }
}

/** Goes through the cells of all leaves below a page. */
function walk(pages: Pages, root: number, cell: (page: Buffer, at: number) => void): void {
  const waiting = [root];
  for (let number = waiting.pop(); number !== undefined; number = waiting.pop()) {
    const page = pages.read(number);
    const start = number === 1 ? HEADER : 0;
    const type = page[start];
    if (type !== LEAF && type !== INTERIOR) throw new OtherFormat();
    const count = page.readUInt16BE(start + 3);
    const pointers = start + (type === LEAF ? 8 : 12);
    if (pointers + 2 * count > pages.usable) throw new OtherFormat();
    for (let i = 0; i < count; i++) {
      const at = page.readUInt16BE(pointers + 2 * i);
      if (at + 4 > pages.usable) throw new OtherFormat();
      if (type === LEAF) cell(page, at);
      else waiting.push(page.readUInt32BE(at));
    }
    if (type === INTERIOR) waiting.push(page.readUInt32BE(start + 8));
  }
}

/** The most columns that the engine takes, and more than a record it has written has. */
const MOST_COLUMNS = 32_767;

const BEYOND = 1;
const LINE = 2;

/** What each byte says of the text that it is in. */
const SAYS = Uint8Array.from({ length: 256 }, (_, byte) =>
  byte === 0 || byte > 127 ? BEYOND : byte === 10 ? LINE : 0,
);

/** What the bytes from one place to another say together. */
function saysOf(page: Buffer, from: number, to: number): number {
  // In one that is neither beyond ASCII nor below a blank, bit 7 is 0 both of it and of what is left over a blank.
  let all = 0;
  for (let i = from; i < to; i++) all |= page[i]! | (page[i]! - 32);
  if ((all & 128) === 0) return 0;
  let says = 0;
  for (let i = from; i < to; i++) says |= SAYS[page[i]!]!;
  return says;
}

/** The records of the rows of a table, each of which may go on over further pages. */
class Records implements TextFacts {
  readonly beyond = new Set<number>();
  readonly long = new Set<number>();
  private page: Buffer = Buffer.alloc(0);
  private at = 0;
  private end = 0;
  private next = 0;
  /** Bytes that the record has behind those of this page. */
  private rest = 0;
  private readonly types = new Float64Array(MOST_COLUMNS);

  constructor(
    private readonly pages: Pages,
    private readonly columns: number,
    private readonly most: number,
  ) {}

  /** Looks at the record of a cell. */
  look(page: Buffer, at: number): void {
    this.begin(page, at);
    if (this.rest === 0) this.lookHere();
    else this.lookFurther();
  }

  /** Looks at a record that is on this page alone: nearly all are, so it is done without a call for each byte. */
  private lookHere(): void {
    const { page, end, columns, beyond } = this;
    const start = this.at;
    const header = this.number();
    let body = start + header;
    if (body > end) throw new OtherFormat();
    let column = 0;
    // Texts that lie next to each other are looked at together: one by one only where they say anything.
    let texts = body;
    for (const stop = body; this.at < stop; column++) {
      const short = page[this.at]!;
      let type = short;
      if (short < 128) this.at++;
      else type = this.number();
      const bytes = bytesOf(type);
      const next = body + bytes;
      if (next > end) throw new OtherFormat();
      if (type >= 13 && type % 2 === 1 && column < columns) {
        if (bytes > this.most) this.long.add(column);
      } else {
        if (texts < body && saysOf(page, texts, body) !== 0) this.lookOneByOne(start, texts, body);
        texts = next;
      }
      body = next;
    }
    if (texts < body && saysOf(page, texts, body) !== 0) this.lookOneByOne(start, texts, body);
    if (this.at !== start + header) throw new OtherFormat();
    for (; column < columns; column++) beyond.add(column);
  }

  /** Looks at each of the texts between two places of a record that begins at `start`. */
  private lookOneByOne(start: number, from: number, to: number): void {
    const { page, at } = this;
    this.at = start;
    let body = start + this.number();
    for (let column = 0; body < to; column++) {
      const type = this.number();
      const next = body + bytesOf(type);
      if (body >= from && type >= 13 && type % 2 === 1)
        this.says(column, next - body, saysOf(page, body, next));
      body = next;
    }
    this.at = at;
  }

  private says(column: number, bytes: number, says: number): void {
    if (says & BEYOND) this.beyond.add(column);
    if (says & LINE || bytes > this.most) this.long.add(column);
  }

  private lookFurther(): void {
    const before = this.left();
    const header = this.number();
    let count = 0;
    while (before - this.left() < header) {
      if (count >= MOST_COLUMNS) throw new OtherFormat();
      this.types[count++] = this.number();
    }
    if (before - this.left() !== header) throw new OtherFormat();
    const { columns, beyond } = this;
    for (let i = count; i < columns; i++) beyond.add(i);
    for (let i = 0; i < count; i++) {
      const type = this.types[i]!;
      if (type === 0) continue;
      const isText = type >= 13 && type % 2 === 1;
      const bytes = bytesOf(type);
      const says = this.pass(bytes, isText && i < columns);
      if (isText && i < columns) this.says(i, bytes, says);
    }
  }

  private begin(page: Buffer, at: number): void {
    const { usable } = this.pages;
    this.page = page;
    this.at = at;
    this.end = usable;
    this.rest = 0;
    const length = this.number();
    this.number();
    const most = usable - 35;
    const least = Math.floor(((usable - 12) * 32) / 255) - 23;
    const some = least + ((length - least) % (usable - 4));
    const here = length <= most ? length : some <= most ? some : least;
    this.end = this.at + here;
    this.rest = length - here;
    if (this.end > usable) throw new OtherFormat();
    if (this.rest === 0) return;
    if (this.end + 4 > usable) throw new OtherFormat();
    this.next = page.readUInt32BE(this.end);
  }

  private left(): number {
    return this.end - this.at + this.rest;
  }

  /** Passes over some bytes; where they are looked at, gives what any of them says. */
  private pass(length: number, isLookedAt: boolean): number {
    let all = 0;
    let left = length;
    while (left > 0) {
      if (this.at >= this.end) this.turn();
      const { page } = this;
      const stop = Math.min(this.end, this.at + left);
      left -= stop - this.at;
      if (isLookedAt) all |= saysOf(page, this.at, stop);
      this.at = stop;
    }
    return all;
  }

  /** Goes on to the next page of the record. */
  private turn(): void {
    if (this.rest <= 0) throw new OtherFormat();
    this.page = this.pages.read(this.next);
    this.next = this.page.readUInt32BE(0);
    const here = Math.min(this.rest, this.pages.usable - 4);
    this.rest -= here;
    this.at = 4;
    this.end = 4 + here;
  }

  private byte(): number {
    if (this.at >= this.end) this.turn();
    return this.page[this.at++]!;
  }

  /** A number of one to nine bytes, seven bits in each but the ninth; one that is beyond 2^53 loses digits. */
  private number(): number {
    let byte = this.byte();
    if (byte < 128) return byte;
    let value = byte & 127;
    for (let i = 1; i < 8; i++) {
      byte = this.byte();
      value = value * 128 + (byte & 127);
      if (byte < 128) return value;
    }
    return value * 256 + this.byte();
  }
}

const SIZES = [0, 1, 2, 3, 4, 6, 8, 8, 0, 0, 0, 0] as const;

/** The bytes that a value of this sort takes in a record. */
const bytesOf = (type: number): number => (type < 12 ? SIZES[type]! : Math.floor((type - 12) / 2));
