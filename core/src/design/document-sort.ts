import type { Design } from './schema';

/** How something uses what goes. */
export interface Use {
  /** As a phrase: `a condition`. */
  readonly use: string;
  /** What happens to it when what it uses is taken out of it. */
  readonly fate: string;
}

/**
 * What a type of document does where it meets the rest of a design. Every type in `LISTS` has one, in
 * `core/documents`; to keep, send, compare, change or name its documents needs nothing more.
 */
export interface DocumentSort<D> {
  /** What keeps a document from being used, said for people; empty when it works. */
  readonly problems: (design: Design, document: D) => readonly string[];
  /** How a document uses any of these ids (of fields, tables, documents); null when it does not. */
  readonly use: (document: D, gone: ReadonlySet<string>) => Use | null;
  /** The document without what is gone; null when nothing of it can stay. */
  readonly without: (document: D, gone: ReadonlySet<string>) => D | null;
  /** A document in which one id was put in place of another, which may have stood in it already. */
  readonly tidy?: (document: D) => D;
  /** The document whose parts this one names; null when it names none. */
  readonly builtOn?: (document: D) => string | null;
  /** The parts, by the ids by which others name them, that a document loses with what is gone. */
  readonly lost?: (document: D, gone: ReadonlySet<string>) => ReadonlySet<string>;
}
