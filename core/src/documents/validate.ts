import {
  documentsOf,
  findDocument,
  validateTables,
  type Design,
  type DesignDocument,
  type DesignProblem,
  type Query,
} from '../design';
import { lookupProblems } from '../query';
import { documentProblems } from './sorts';

/** Everything that keeps the tables of a design from being made, what their lookups read of its queries too. */
export function validateDesign(design: Design): DesignProblem[] {
  const problems = validateTables(design);
  // Over tables that do not hold nothing can be told of queries.
  return problems.length > 0 ? problems : lookupProblems(design);
}

/** A document that does not work any more, and the first that is wrong with it, said for people. */
export interface Broken {
  readonly document: DesignDocument;
  readonly problem: string;
}

/** The documents of a design that do not work, though they did in the one before it, or were not there. */
export const brokenDocuments = (before: Design, after: Design): Broken[] =>
  documentsOf(after).flatMap((document): Broken[] => {
    const [problem] = documentProblems(after, document);
    const old = findDocument(before, document.id);
    if (problem === undefined || (old && documentProblems(before, old).length > 0)) return [];
    return [{ document, problem }];
  });

/**
 * What would not work any more with a query as it is to be: other documents and lookups, to which it is a table; null
 * where all does.
 */
export function brokenWith(before: Design, after: Design, { id }: Query): string | null {
  const broken = brokenDocuments(before, after).find(({ document }) => document.id !== id);
  if (broken) {
    const { type, label } = broken.document;
    return `The ${type} ${label} could not be used any more: ${broken.problem}`;
  }
  const [lookup] = lookupProblems(before).length > 0 ? [] : lookupProblems(after);
  return lookup?.message ?? null;
}
