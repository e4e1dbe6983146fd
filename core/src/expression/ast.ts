import type { Span } from './errors';

export type Comparison = '=' | '<>' | '<' | '<=' | '>' | '>=';
export type Arithmetic = '+' | '-' | '*' | '/';
export type AggregateName = 'COUNT' | 'SUM' | 'AVG' | 'MIN' | 'MAX';
export type IntervalUnit = 'YEAR' | 'MONTH' | 'DAY' | 'HOUR' | 'MINUTE' | 'SECOND';
export type CastTarget =
  /** `most` characters, or as many as there are. */
  | { readonly to: 'text'; readonly most: number | null }
  | { readonly to: 'date' }
  /** At most `digits` digits in all, `scale` of them after the point. */
  | { readonly to: 'number'; readonly digits: number; readonly scale: number };

export interface Step extends Span {
  readonly name: string;
  /** In stored form, in place of the name: the id of what it stands for. */
  readonly id?: ItemId;
  /** True for a name in double quotes. */
  readonly quoted: boolean;
}

/** A field or a link by its id, or, with `rows`, the rows at the other end of that link. */
export interface ItemId {
  readonly id: string;
  readonly rows: boolean;
}

/** The syntax tree, as typed: names are not yet looked up and nothing has a type. */
export type Node = Span &
  (
    | { readonly node: 'text' | 'number' | 'date' | 'time' | 'timestamp'; readonly text: string }
    | { readonly node: 'truth'; readonly value: boolean | null }
    | { readonly node: 'null' }
    | { readonly node: 'interval'; readonly amount: number; readonly unit: IntervalUnit }
    | { readonly node: 'clock'; readonly what: 'date' | 'instant' }
    | { readonly node: 'path'; readonly steps: readonly Step[] }
    | { readonly node: 'negate' | 'not'; readonly operand: Node }
    | {
        readonly node: 'arithmetic';
        readonly op: Arithmetic;
        readonly left: Node;
        readonly right: Node;
      }
    | { readonly node: 'concat'; readonly left: Node; readonly right: Node }
    | {
        readonly node: 'compare';
        readonly op: Comparison;
        readonly left: Node;
        readonly right: Node;
      }
    | { readonly node: 'and' | 'or' | 'distinct'; readonly left: Node; readonly right: Node }
    | { readonly node: 'isNull'; readonly operand: Node }
    | { readonly node: 'isTruth'; readonly operand: Node; readonly value: boolean | null }
    | { readonly node: 'between'; readonly operand: Node; readonly low: Node; readonly high: Node }
    | { readonly node: 'in'; readonly operand: Node; readonly list: readonly Node[] }
    | {
        readonly node: 'like';
        readonly operand: Node;
        readonly pattern: Node;
        readonly escape: Node | null;
      }
    | {
        readonly node: 'case';
        readonly subject: Node | null;
        readonly whens: readonly { readonly when: Node; readonly then: Node }[];
        readonly otherwise: Node | null;
      }
    | { readonly node: 'cast'; readonly operand: Node; readonly target: CastTarget }
    | { readonly node: 'extract'; readonly unit: IntervalUnit; readonly operand: Node }
    | {
        readonly node: 'trim';
        readonly side: 'LEADING' | 'TRAILING' | 'BOTH';
        readonly chars: Node | null;
        readonly operand: Node;
      }
    | {
        readonly node: 'substring';
        readonly operand: Node;
        readonly from: Node;
        readonly length: Node | null;
      }
    | { readonly node: 'position'; readonly part: Node; readonly whole: Node }
    | { readonly node: 'call'; readonly name: string; readonly args: readonly Node[] }
    | {
        readonly node: 'aggregate';
        readonly name: AggregateName;
        readonly distinct: boolean;
        /** Null for COUNT(*). */
        readonly arg: Node | null;
        readonly filter: Node | null;
      }
  );
