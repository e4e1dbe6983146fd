import { boardSort } from '../board';
import type { Design, DesignDocument, DocumentSort, DocumentType } from '../design';
import { formSort } from '../form';
import { roleSort } from '../people';
import { querySort } from '../query';
import { reportSort } from '../report';

/** What each type of document does where it meets the rest of a design. */
const SORTS: { readonly [T in DocumentType]: DocumentSort<Extract<DesignDocument, { readonly type: T }>> } = {
  query: querySort,
  form: formSort,
  board: boardSort,
  report: reportSort,
  role: roleSort,
};

/** What the type of a document does; it is meant for documents of that type alone. */
export const sortOf = <D extends DesignDocument>({ type }: D): DocumentSort<D> =>
  SORTS[type] as unknown as DocumentSort<D>;

/** What is wrong with a document over a design, for people; empty when it works. */
export const documentProblems = (design: Design, document: DesignDocument): readonly string[] =>
  sortOf(document).problems(design, document);

/** The documents that name parts of another. */
export const builtOn = (documents: readonly DesignDocument[], id: string): DesignDocument[] =>
  documents.filter((document) => sortOf(document).builtOn?.(document) === id);

/** The ids by which others name what goes when a document becomes `next`. */
export const lostWith = (
  document: DesignDocument,
  next: DesignDocument | null,
  gone: ReadonlySet<string>,
): ReadonlySet<string> =>
  next === null ? new Set([document.id]) : (sortOf(document).lost?.(document, gone) ?? new Set());
