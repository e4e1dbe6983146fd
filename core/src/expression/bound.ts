import type { AggregateName, Comparison, IntervalUnit } from './ast';
import type { Span } from './errors';
import type { ExprChild, ExprField, JoinColumns, Type } from './types';

/** A value during evaluation: numbers and intervals in units, dates and times as ISO text. */
export type Val = bigint | string | boolean | null;

/** One step of a path: to the row a lookup leads to, or to the rows that look this one up. */
export type Hop =
  | {
      readonly hop: 'link';
      readonly field: { readonly id: string; readonly name: string };
      readonly table: string;
      readonly on: JoinColumns;
    }
  | { readonly hop: 'children'; readonly child: ExprChild; readonly table: string };

/** The child rows an aggregate runs over: from row variable `from` along `hops` to variable `as`. */
export interface Collection {
  readonly from: number;
  readonly hops: readonly Hop[];
  readonly as: number;
}

/**
 * The typed tree. Every conversion is a node of its own: both operands of `add`, `sub`, `mod` and
 * `compare` have one scale, so the evaluator and the SQL writer only carry out what stands here.
 */
export type Bound = Span & { readonly type: Type } & (
    | { readonly op: 'const'; readonly value: Val }
    | { readonly op: 'clock'; readonly what: 'date' | 'instant' }
    | {
        readonly op: 'ref';
        readonly row: number;
        readonly links: readonly Hop[];
        readonly field: ExprField;
      }
    /** A field that is worked out: `a` is its expression, over the same row. */
    | {
        readonly op: 'worked';
        readonly links: readonly Hop[];
        readonly field: ExprField;
        readonly a: Bound;
      }
    /** Number to number of another scale: exact upwards, half away from zero downwards. */
    | { readonly op: 'rescale'; readonly a: Bound }
    | { readonly op: 'negate' | 'abs' | 'floor' | 'ceiling' | 'not' | 'isNull'; readonly a: Bound }
    | { readonly op: 'upper' | 'lower' | 'length' | 'toText' | 'toDate' | 'toNumber'; readonly a: Bound }
    | { readonly op: 'isTruth'; readonly a: Bound; readonly value: boolean }
    /** A number that must not have more digits: its type may say more, where it stands beside others. */
    | { readonly op: 'limit'; readonly a: Bound; readonly most: number }
    /** A text that must not have more characters. */
    | { readonly op: 'limitText'; readonly a: Bound; readonly most: number }
    | {
        readonly op: 'add' | 'sub' | 'mul' | 'div' | 'mod';
        readonly a: Bound;
        readonly b: Bound;
      }
    | { readonly op: 'addDays' | 'addMonths' | 'addSeconds'; readonly a: Bound; readonly b: Bound }
    | { readonly op: 'daysBetween' | 'secondsBetween'; readonly a: Bound; readonly b: Bound }
    | { readonly op: 'concat' | 'and' | 'or' | 'distinct' | 'nullif'; readonly a: Bound; readonly b: Bound }
    | { readonly op: 'position'; readonly a: Bound; readonly b: Bound }
    | { readonly op: 'compare'; readonly how: Comparison; readonly a: Bound; readonly b: Bound }
    | { readonly op: 'between'; readonly a: Bound; readonly low: Bound; readonly high: Bound }
    | { readonly op: 'in'; readonly a: Bound; readonly list: readonly Bound[] }
    | { readonly op: 'like'; readonly a: Bound; readonly pattern: Bound; readonly escape: string | null }
    | { readonly op: 'coalesce'; readonly list: readonly Bound[] }
    | {
        readonly op: 'case';
        readonly whens: readonly { readonly when: Bound; readonly then: Bound }[];
        readonly otherwise: Bound | null;
      }
    | { readonly op: 'extract'; readonly unit: IntervalUnit; readonly a: Bound }
    | {
        readonly op: 'trim';
        readonly side: 'LEADING' | 'TRAILING' | 'BOTH';
        readonly char: string;
        readonly a: Bound;
      }
    | {
        readonly op: 'substring';
        readonly a: Bound;
        readonly from: Bound;
        readonly length: Bound | null;
      }
    | {
        readonly op: 'aggregate';
        readonly name: AggregateName;
        readonly distinct: boolean;
        readonly arg: Bound | null;
        readonly filter: Bound | null;
        /** Null: over the rows of the group at hand. */
        readonly over: Collection | null;
      }
  );

/** The nodes directly below a node. */
export function parts(bound: Bound): readonly Bound[] {
  const found: Bound[] = [];
  const node = bound as unknown as Record<string, unknown>;
  const take = (value: unknown): void => {
    if (Array.isArray(value)) value.forEach(take);
    else if (value !== null && typeof value === 'object') {
      const candidate = value as Record<string, unknown>;
      if ('op' in candidate) found.push(candidate as unknown as Bound);
      else if ('when' in candidate) take([candidate['when'], candidate['then']]);
    }
  };
  for (const key of [
    'a',
    'b',
    'low',
    'high',
    'list',
    'pattern',
    'whens',
    'otherwise',
    'from',
    'length',
    'arg',
    'filter',
  ])
    take(node[key]);
  return found;
}

/** True when `test` holds for the node or any node below it. */
export const some = (bound: Bound, test: (node: Bound) => boolean): boolean =>
  test(bound) || parts(bound).some((part) => some(part, test));
