import { EventEmitter } from 'node:events';
import { Readable } from 'node:stream';
import type { RowKey } from '@heathridge/core/rows';

/** Something that happened to a file, for those who look at it. */
export interface News {
  /** Who did it: an account. */
  readonly account: string;
  readonly by: string;
  /** The entry of the log, where there is one. */
  readonly entry: number | null;
  readonly tables: readonly {
    readonly table: string;
    /** Rows that were changed and stand where they stood; null where there were too many, or others came or went. */
    readonly changed: readonly RowKey[] | null;
  }[];
  /** Whether the design is another. */
  readonly design: boolean;
}

/** Rows of one table that are told one by one. */
export const MOST_TOLD = 50;
/** What happened to one file that is kept for those who were gone for a moment. */
const MOST_KEPT = 200;
/** Milliseconds between signs of life, by which a proxy keeps the line open. */
const BEAT = 20_000;

interface Told {
  readonly id: number;
  readonly news: News;
  /** The event as it is sent: written once, however many listen. */
  readonly text: string;
}

/**
 * Tells those who look at a file what happens to it, as server-sent events (WHATWG, HTML Standard, 9.2): each has an
 * id, and whoever was gone for a moment goes on behind the last that she heard.
 */
export class Newsroom {
  private readonly bus = new EventEmitter().setMaxListeners(0);
  private readonly kept = new Map<string, Told[]>();
  private readonly open = new Set<Readable>();
  private next = 1;

  /** `epoch` tells this server's ids from those of the one before. */
  constructor(private readonly epoch: string) {}

  tell(file: string, news: News): void {
    const id = this.next++;
    const told: Told = { id, news, text: this.written(id, news) };
    const kept = [...(this.kept.get(file) ?? []), told].slice(-MOST_KEPT);
    this.kept.set(file, kept);
    this.bus.emit(file, told);
  }

  private written(id: number, news: unknown): string {
    return `id: ${this.epoch}-${id}\ndata: ${JSON.stringify(news)}\n\n`;
  }

  /**
   * The events of a file from now on, or from behind the one with this id. It ends after `seconds`, if given. With `as`
   * each is told as that gives it, and not at all where it gives null.
   */
  listen(
    file: string,
    last: string | null,
    seconds: number | null,
    as?: (news: News) => object | null,
  ): Readable {
    const stream = new Readable({ read: () => undefined });
    const push = ({ id, news, text }: Told): void => {
      const other = as?.(news);
      if (other !== null) stream.push(other ? this.written(id, other) : text);
    };
    stream.push(`retry: 1000\nid: ${this.epoch}-${this.next - 1}\n\n`);
    this.since(file, last, push, stream);
    this.bus.on(file, push);
    this.open.add(stream);
    const beat = setInterval(() => stream.push(':\n\n'), BEAT);
    const end = seconds === null ? null : setTimeout(() => stream.push(null), seconds * 1000);
    stream.once('close', () => {
      clearInterval(beat);
      if (end) clearTimeout(end);
      this.bus.off(file, push);
      this.open.delete(stream);
    });
    return stream;
  }

  /** What happened since; where that is not known any more, all is to be read again. */
  private since(file: string, last: string | null, push: (told: Told) => void, stream: Readable): void {
    if (last === null) return;
    const [epoch, number] = [
      last.slice(0, last.lastIndexOf('-')),
      Number(last.slice(last.lastIndexOf('-') + 1)),
    ];
    const kept = this.kept.get(file) ?? [];
    const isKnown = epoch === this.epoch && Number.isSafeInteger(number) && number < this.next;
    const isWhole = isKnown && (kept.length < MOST_KEPT || kept[0]!.id <= number + 1);
    if (isWhole) kept.filter(({ id }) => id > number).forEach(push);
    else stream.push('event: reset\ndata: {}\n\n');
  }

  /** Tells that the design of a file is another. */
  tellDesign(file: string, { id, name }: { readonly id: string; readonly name: string }): void {
    this.tell(file, { account: id, by: name, entry: null, tables: [], design: true });
  }

  /** Ends every line, so that the server can end. */
  close(): void {
    for (const stream of this.open) stream.push(null);
  }
}
