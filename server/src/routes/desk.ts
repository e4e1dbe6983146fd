import * as v from 'valibot';
import { fieldOf, idsUsed, type Design, type Form, type Table } from '@heathridge/core/design';
import { SaveRequest } from '@heathridge/core/rows';
import { todayIn } from '../http/context';
import { Problem } from '../http/problem';
import type { Call, Router } from '../http/routes';
import { readRecord } from '../rows/read';
import { secondLine } from '../rows/window';
import { choices, ChoicesBody, count, keyFrom, list, save, Search, tableAt } from './rows';
import type { OpenFile } from '../store/files';

function screenAt(file: OpenFile, id: string): Form {
  const form = file.design.forms.find((candidate) => candidate.id === id);
  if (!form) throw new Problem('not-found', 'This screen is no longer there.');
  return form;
}

/** The tables whose rows a screen may change: its own and those of its subforms. */
function tablesOn(design: Design, form: Form): Table[] {
  const children = form.subforms
    .filter(({ shown }) => shown)
    .flatMap(({ link }) => design.tables.filter((table) => fieldOf(table, link)));
  return [...design.tables.filter(({ id }) => id === form.table), ...children];
}

/**
 * Those tables and every table that their lookups, rules and worked-out fields lead to: what the page
 * needs to know to show and check a row.
 */
function tablesAround(design: Design, start: readonly Table[]): Table[] {
  const owners = new Map(
    design.tables.flatMap((table) => [...table.fields, ...table.links].map(({ id }) => [id, table])),
  );
  const found = new Set(start);
  for (const table of found) {
    for (const { type } of table.fields) {
      const target = type.kind === 'lookup' ? design.tables.find(({ id }) => id === type.table) : undefined;
      if (target) found.add(target);
    }
    for (const { table: id } of table.links)
      design.tables.filter((other) => other.id === id).forEach((other) => found.add(other));
    for (const id of idsUsed(table)) {
      const owner = owners.get(id);
      if (owner) found.add(owner);
    }
  }
  return design.tables.filter((table) => found.has(table));
}

/** What people may type on a screen: fields that are on it and not only for reading. */
function mayType(design: Design, form: Form, table: Table, field: string): boolean {
  if (table.id === form.table && form.fields.some((item) => item.field === field && item.people === 'type'))
    return true;
  return form.subforms.some(
    ({ link, fields, shown }) =>
      shown &&
      fieldOf(table, link) &&
      (link === field || fields.some((item) => item.field === field && item.people === 'type')),
  );
}

/** Tables to which rows may be added from lookups on this screen, though it does not show them. */
function addable(design: Design, form: Form): Set<string> {
  const lookups = tablesOn(design, form).flatMap(({ fields }) => fields);
  return new Set(
    lookups.flatMap(({ id, type }) =>
      type.kind === 'lookup' && type.addHere && onScreen(form, id) ? [type.table] : [],
    ),
  );
}

const onScreen = (form: Form, field: string): boolean =>
  [form.fields, ...form.subforms.filter(({ shown }) => shown).map(({ fields }) => fields)].some((cells) =>
    cells.some((cell) => cell.field === field && cell.people === 'type'),
  );

function checkSave(design: Design, form: Form, request: SaveRequest): void {
  const tables = tablesOn(design, form);
  const additions = addable(design, form);
  for (const change of request.changes) {
    if (change.op === 'insert' && additions.has(change.table)) continue;
    const table = tables.find(({ id }) => id === change.table);
    if (!table) throw new Problem('not-allowed', 'This screen does not change rows of that table.');
    if (change.op === 'delete') continue;
    const closed = Object.keys(change.values).find((field) => !mayType(design, form, table, field));
    if (closed !== undefined)
      throw new Problem(
        'not-allowed',
        `${fieldOf(table, closed)?.label ?? 'A field'} is only for reading on this screen.`,
      );
  }
}

export function deskRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk',
    needs: 'colleague',
    summary: 'The Desk: the screens of a file',
    handler: ({ context, file, params, person }) => ({
      name: context.files.name(params['file']!),
      role: context.files.role(file.id, person.id),
      settings: file.design.settings,
      today: todayIn(context, file),
      screens: file.design.forms.map((form) => {
        const table = tableAt(file, form.table);
        return { id: form.id, label: form.label, one: table.label, many: table.plural };
      }),
    }),
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen',
    needs: 'colleague',
    summary: 'A screen and the tables it works on',
    handler: ({ context, file, params }) => {
      const form = screenAt(file, params['screen']!);
      const tables = tablesAround(file.design, tablesOn(file.design, form));
      return {
        form,
        tables,
        settings: file.design.settings,
        second: secondLine(tableAt(file, form.table)).map(({ id }) => id),
        today: todayIn(context, file),
      };
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen/list',
    needs: 'colleague',
    summary: 'The record list: entries and how many there are',
    query: v.object({ ...Search.entries, after: v.optional(v.pipe(v.string(), v.maxLength(2000))) }),
    handler: async ({ context, file, params, query, reply, gone }) => {
      const table = tableAt(file, screenAt(file, params['screen']!).table);
      const after = query.after === undefined ? null : keyFrom(file, table, query.after);
      const entries = await list(context, file, table, { search: query.search, after, limit: 60 }, gone);
      const total = await count(context, file, table, query.search, gone);
      const all = query.search.trim() === '' ? total : await count(context, file, table, '', gone);
      return reply.type('application/json').send(`{"total":${total},"all":${all},"entries":${entries}}`);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/desk/screens/:screen/record',
    needs: 'colleague',
    summary: 'A record with the rows of its subforms',
    query: v.object({ key: v.pipe(v.string(), v.maxLength(2000)) }),
    handler: ({ file, params, query, reply }) => {
      const form = screenAt(file, params['screen']!);
      const table = tableAt(file, form.table);
      const json = readRecord(file.reader, file.design, form, keyFrom(file, table, query.key));
      if (json === null)
        throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
      return reply.type('application/json').send(json);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/save',
    needs: 'colleague',
    summary: 'Save a record and rows of its subforms together, all or none',
    body: SaveRequest,
    handler: ({ context, file, params, person, body }) => {
      checkSave(file.design, screenAt(file, params['screen']!), body);
      return save(file, body, person, context);
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/desk/screens/:screen/lookups/:field',
    needs: 'colleague',
    summary: 'Choices of a lookup on this screen, narrowed by the row it stands in',
    body: ChoicesBody,
    handler: (call) => {
      lookupOn(call);
      return choices(call.context, call.file, call.params['field']!, call.body, call.gone);
    },
  });
}

function lookupOn({ file, params }: Pick<Call, 'file' | 'params'>): void {
  const form = screenAt(file, params['screen']!);
  const known = tablesOn(file.design, form).some((table) => fieldOf(table, params['field']!));
  if (!known) throw new Problem('not-found', 'This lookup is not on this screen.');
}
