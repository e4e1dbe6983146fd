import { toJsonSchema, toJsonSchemaDefs } from '@valibot/to-json-schema';
import {
  Cell,
  Definitions,
  Finding,
  OutsideSource,
  People,
  Person,
  PROBLEM_BASE,
  RecordRow,
  RecordRows,
  SavedRows,
  SheetLook,
} from '@heathridge/core/api';
import { Change } from '@heathridge/core/change';
import {
  Answering,
  Board,
  ButtonAct,
  Chart,
  Field,
  FieldType,
  Form,
  FormPart,
  Kept,
  MapDrawing,
  Query,
  QueryQuestion,
  Report,
  Rule,
  Result,
  RoleDefinition,
  Settings,
  Subform,
  Table,
  Written,
} from '@heathridge/core/design';
import { GridView, Key, RowChange } from '@heathridge/core/rows';
import { Chosen } from '@heathridge/core/board';
import { PROBLEMS } from '../problem';
import type { RouteRecord } from './routes';

/** The OpenAPI 3.1 document of the API, from the schemas that validate it. */
export function openApi(records: readonly RouteRecord[]): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const { method, url, needs, summary, body, query, answer } of records) {
    const names = [...url.matchAll(/:(\w+)/g)].map((match) => match[1]!);
    const parameters: unknown[] = names.map((name) => ({
      name,
      in: 'path',
      required: true,
      schema: { type: 'string' },
    }));
    if (query)
      parameters.push({ name: 'query', in: 'query', style: 'form', explode: true, schema: schemaOf(query) });
    const path = (paths[url.replace(/:(\w+)/g, '{$1}')] ??= {});
    path[method.toLowerCase()] = {
      summary,
      description: `Open to: ${needs}.`,
      parameters,
      ...(body
        ? { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(body) } } } }
        : {}),
      responses: {
        200: {
          description: 'Done.',
          ...(answer ? { content: { 'application/json': { schema: schemaOf(answer) } } } : {}),
        },
        default: { $ref: '#/components/responses/problem' },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Heathridge', version: '1', license: { name: 'MIT' } },
    paths,
    components: {
      responses: {
        problem: {
          description: 'A problem document (RFC 9457).',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/problem' } } },
        },
      },
      schemas: {
        ...sharedSchemas(),
        problem: {
          type: 'object',
          required: ['type', 'title', 'status', 'detail'],
          properties: {
            type: { type: 'string', enum: Object.keys(PROBLEMS).map((type) => PROBLEM_BASE + type) },
            title: { type: 'string' },
            status: { type: 'integer' },
            detail: { type: 'string' },
          },
        },
      },
    },
  };
}

/** Shapes that several requests or answers hold: they stand once, under their names. */
const SHARED = {
  Answering,
  Board,
  ButtonAct,
  Cell,
  Change,
  Chart,
  Chosen,
  Definitions,
  Field,
  FieldType,
  Finding,
  Form,
  FormPart,
  GridView,
  Kept,
  Key,
  MapDrawing,
  OutsideSource,
  People,
  Person,
  Query,
  QueryQuestion,
  RecordRow,
  RecordRows,
  Report,
  Result,
  RoleDefinition,
  RowChange,
  Rule,
  SavedRows,
  Settings,
  SheetLook,
  Subform,
  Table,
  Written,
};

const overrideRef = ({ referenceId }: { readonly referenceId: string }): string =>
  `#/components/schemas/${referenceId}`;

// Checks and trims have no counterpart in JSON Schema: the document says the shape, the API checks the rest.
const options = { errorMode: 'ignore', definitions: SHARED, overrideRef } as const;

function schemaOf(schema: Parameters<typeof toJsonSchema>[0]): unknown {
  const { $schema: _, $defs: __, ...rest } = toJsonSchema(schema, options);
  return rest;
}

const sharedSchemas = (): Record<string, unknown> =>
  toJsonSchemaDefs(SHARED, { errorMode: 'ignore', overrideRef });
