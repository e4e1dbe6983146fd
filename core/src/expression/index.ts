export { parse } from './parse';
export type { Node } from './ast';
export { bind, bindCondition, type Binding, type Scope, type Warning } from './bind';
export { some, parts, type Bound, type Hop, type Val } from './bound';
export {
  evaluate,
  NO_SUCH_DATE,
  NOT_CONVERTIBLE,
  TOO_LARGE,
  type Evaluated,
  type Evaluation,
} from './evaluate';
export { columnsRead, type ReadColumn } from './reads';
export { toSql, decimalText, type Sql, type SqlWriting } from './to-sql';
export { sqlName, sqlText } from './sql-text';
export { toStored, fromStored, idsIn, withId } from './stored';
export { attempt, ExpressionError, failed, type Fix, type Span } from './errors';
export { CALLS, writtenName } from './parse';
export { compareText } from './fold';
export { apartSql, fillMarks } from './composed';
export { fillLetters, orderKey, orderKeySql } from './order';
export * from './types';
export { inWords } from './words';
export { isEnclosed, making, sqlTokens, type SqlToken } from './statements';
export * from './message';
