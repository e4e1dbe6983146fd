import { attempt, failed } from './errors';
import { bind } from './bind';
import { fromStored, toStored } from './stored';
import type { Catalog } from './types';

/**
 * Messages of rules hold expressions in braces, which give way to the row's own values:
 * `It is due back {due_back}, before it was lent.` A brace is written twice to stand for itself.
 */
export type MessagePart = { readonly text: string } | { readonly expression: string };

export function messageParts(message: string): MessagePart[] {
  const parts: MessagePart[] = [];
  for (const [found] of message.matchAll(/\{\{|\}\}|\{[^{}]*\}|[^{}]+|[{}]/g)) {
    if (found.length > 2 && found.startsWith('{') && found.endsWith('}'))
      parts.push({ expression: found.slice(1, -1).trim() });
    else parts.push({ text: found === '{{' ? '{' : found === '}}' ? '}' : found });
  }
  return parts;
}

const written = (part: MessagePart): string =>
  'text' in part ? part.text.replace(/[{}]/g, '$&$&') : `{${part.expression}}`;

const mapped = (message: string, change: (expression: string) => string): string =>
  messageParts(message)
    .map((part) => written('text' in part ? part : { expression: change(part.expression) }))
    .join('');

/** The message with ids in place of names, as definitions keep it. An expression nobody can read stays. */
export const toStoredMessage = (message: string, catalog: Catalog, table: string): string =>
  mapped(message, (expression) => {
    const stored = attempt(() => toStored(expression, catalog, table));
    return stored.ok ? stored.value : expression;
  });

export const fromStoredMessage = (message: string, catalog: Catalog, table: string): string =>
  mapped(message, (expression) => {
    const source = attempt(() => fromStored(expression, catalog, table));
    return source.ok ? source.value : expression;
  });

/** The message with values in place of its expressions. */
export const filledMessage = (message: string, show: (expression: string) => string): string =>
  messageParts(message)
    .map((part) => ('text' in part ? part.text : show(part.expression)))
    .join('');

/** Throws an ExpressionError when an expression in the message does not hold. */
export function checkMessage(message: string, catalog: Catalog, table: string): void {
  for (const part of messageParts(message)) {
    if (!('expression' in part)) continue;
    if (part.expression === '')
      failed('Braces hold the name of a field, such as {due_back}.', { start: 0, end: message.length });
    bind(part.expression, { catalog, table });
  }
}
