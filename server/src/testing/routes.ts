import type { Answer, Office } from './office';

/** A query that asks for one row and nothing else. */
export const QUERY = {
  type: 'query',
  id: 'q_new',
  label: 'New',
  from: 't_school',
  joins: [],
  where: [],
  columns: [],
  group: null,
  sort: [],
  first: 1,
};
const DRAFT = { base: 1, changes: [] };
const DELETION = { changes: [{ op: 'delete', table: 't_part', key: [999999] }] };

export interface Entry {
  /** Who may call it. */
  readonly for: 'all' | 'signed-in' | 'colleague' | 'builder';
  /** What the builder is answered, with this body, so that rights alone can have refused the others. */
  readonly status?: number;
  readonly body?: unknown;
  readonly query?: string;
  /** Parts of the address other than the usual ones. */
  readonly params?: Readonly<Record<string, string>>;
}

/** Every route there is: one that is missing here fails the first test. */
export const ROUTES: Readonly<Record<string, Entry>> = {
  'GET /api/session': { for: 'all' },
  'POST /api/session': { for: 'all', body: { login: 'nobody', password: 'nothing' }, status: 401 },
  'DELETE /api/session': { for: 'all' },
  'PUT /api/session/look': { for: 'signed-in', body: { colours: 'dark', size: 'large' } },
  'PUT /api/session/password': {
    for: 'signed-in',
    body: { current: 'not the one she has', next: 'long enough for it' },
    status: 403,
  },
  'POST /api/accounts': {
    for: 'all',
    body: { login: 'xx', name: 'X', password: 'long enough for it' },
    status: 403,
  },
  'GET /api/openapi.json': { for: 'all' },
  'GET /api/files': { for: 'signed-in' },
  'POST /api/files': { for: 'signed-in', body: { name: 'Another file' } },
  'POST /api/files/package': { for: 'signed-in', query: 'name=x', status: 400 },
  'GET /api/files/:file/whole/:form': { for: 'builder' },
  'GET /api/files/:file/package.zip': { for: 'builder' },
  'POST /api/files/adopt': { for: 'signed-in', query: 'name=x', status: 400 },
  'GET /api/files/:file/desk': { for: 'colleague' },
  'GET /api/files/:file/desk/worked': { for: 'colleague' },
  'GET /api/files/:file/desk/watches': { for: 'colleague' },
  'GET /api/files/:file/desk/boards/:board': { for: 'colleague' },
  'POST /api/files/:file/desk/boards/:board/drawn': {
    for: 'colleague',
    body: { part: 'k_none' },
    status: 404,
  },
  'POST /api/files/:file/desk/boards/:board/behind': {
    for: 'colleague',
    body: { part: 'k_none', keys: {} },
    status: 404,
  },
  'POST /api/files/:file/desk/boards/:board/choices': {
    for: 'colleague',
    body: { filter: 'v_instrument', search: '', only: null },
  },
  'GET /api/files/:file/desk/screens/:screen': { for: 'colleague' },
  'GET /api/files/:file/desk/screens/:screen/list': { for: 'colleague' },
  'GET /api/files/:file/desk/screens/:screen/record': { for: 'colleague', query: 'key=[1417]' },
  'POST /api/files/:file/desk/screens/:screen/rows': {
    for: 'colleague',
    body: { path: ['f_paymentHire'], parent: 1417, start: 0 },
  },
  'POST /api/files/:file/desk/screens/:screen/page': {
    for: 'colleague',
    params: { screen: 'o_stock' },
    body: { start: 0, limit: 1 },
  },
  'PUT /api/files/:file/desk/screens/:screen/view': {
    for: 'colleague',
    params: { screen: 'o_stock' },
    body: { everyone: false, view: null },
  },
  'POST /api/files/:file/desk/screens/:screen/beyond': {
    for: 'colleague',
    body: { path: [], link: 'f_hirePlayer', key: 1 },
  },
  'GET /api/files/:file/desk/screens/:screen/buttons/:button/print': {
    for: 'colleague',
    params: { button: 'b_received' },
    query: 'key=[1417]',
  },
  'POST /api/files/:file/desk/screens/:screen/buttons/:button/preview': {
    for: 'colleague',
    params: { button: 'b_back' },
    body: { key: [1417] },
  },
  'POST /api/files/:file/desk/screens/:screen/buttons/:button/run': {
    for: 'colleague',
    params: { button: 'b_back' },
    body: { key: [1417], mark: 'of what nobody has looked at' },
    status: 409,
  },
  'GET /api/files/:file/desk/events': { for: 'colleague', query: 'seconds=0' },
  'POST /api/files/:file/desk/screens/:screen/here': {
    for: 'colleague',
    body: { page: 'p', key: [1417] },
  },
  'POST /api/files/:file/desk/screens/:screen/along': { for: 'colleague', body: { key: [1417] } },
  'POST /api/files/:file/desk/screens/:screen/save': {
    for: 'colleague',
    body: { changes: [{ op: 'delete', table: 't_hire', key: [999999] }] },
    status: 422,
  },
  'POST /api/files/:file/desk/screens/:screen/undo': {
    for: 'colleague',
    body: { entry: 999999 },
    status: 409,
  },
  'POST /api/files/:file/desk/screens/:screen/lookups/:field': { for: 'colleague', body: { search: '' } },
  'GET /api/files/:file/people': { for: 'builder' },
  'POST /api/files/:file/people': {
    for: 'builder',
    body: { login: 'nobody', role: 'colleague', duty: null },
    status: 404,
  },
  'PUT /api/files/:file/people/:person': {
    for: 'builder',
    body: { role: 'colleague', duty: null },
    params: { person: 'nobody' },
    status: 404,
  },
  'DELETE /api/files/:file/people/:person': {
    for: 'builder',
    params: { person: 'nobody' },
    status: 404,
  },
  'POST /api/files/:file/attachments': { for: 'colleague', query: 'name=x', status: 400 },
  'GET /api/files/:file/attachments': { for: 'colleague' },
  'GET /api/files/:file/attachments/:attachment': { for: 'colleague' },
  'GET /api/files/:file/attachments/:attachment/preview': { for: 'colleague' },
  'POST /api/files/:file/sheets': { for: 'builder', query: 'name=x.csv', status: 400 },
  'POST /api/files/:file/sheets/fetch': {
    for: 'builder',
    body: { address: 'http://127.0.0.1:9/x' },
    status: 422,
  },
  'GET /api/files/:file/sources': { for: 'builder' },
  'POST /api/files/:file/tables/:table/source/fetch': { for: 'builder', body: {}, status: 404 },
  'DELETE /api/files/:file/tables/:table/source': { for: 'builder' },
  'POST /api/files/:file/sheets/:sheet/look': { for: 'builder', body: { style: {} }, status: 404 },
  'POST /api/files/:file/sheets/:sheet/check': {
    for: 'builder',
    body: {
      plan: {
        style: { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 },
        into: { table: 'known', id: 't_school' },
        columns: [],
        mode: 'add',
        match: [],
        blanks: 'leave',
      },
    },
    status: 404,
  },
  'GET /api/files/:file/sheets/:sheet/not-taken.csv': { for: 'builder', status: 404 },
  'POST /api/files/:file/sheets/:sheet/bring': { for: 'builder', body: {}, status: 404 },
  'DELETE /api/files/:file/sheets/:sheet': { for: 'builder', status: 404 },
  'POST /api/files/:file/tables/:table/paste': {
    for: 'builder',
    body: { keys: [], fields: ['f_schoolNone'], cells: [['x']] },
    status: 422,
  },
  'POST /api/files/:file/tables/:table/out': {
    for: 'builder',
    body: { form: 'csv', fields: ['f_schoolName'] },
  },
  'GET /api/files/:file/tables/:table/past': { for: 'builder', query: 'key=[1]' },
  'GET /api/files/:file/log': { for: 'builder' },
  'GET /api/files/:file/tables/:table/views': { for: 'builder' },
  'PUT /api/files/:file/tables/:table/views': {
    for: 'builder',
    body: {
      name: 'Short',
      everyone: false,
      view: { columns: [{ field: 'f_schoolName' }], sort: [], conditions: [] },
    },
  },
  'DELETE /api/files/:file/tables/:table/views/:view': { for: 'builder', status: 404 },
  'GET /api/files/:file/events': { for: 'builder', query: 'seconds=0' },
  'POST /api/files/:file/log/:entry/undo': { for: 'builder', body: {}, status: 409 },
  'GET /api/files/:file/design': { for: 'builder' },
  'PUT /api/files/:file/places': { for: 'builder', body: { places: [] } },
  'PUT /api/files/:file/cards': { for: 'builder', body: { cards: 'names' } },
  'GET /api/files/:file/draft': { for: 'builder' },
  'PUT /api/files/:file/draft': { for: 'builder', body: DRAFT },
  'POST /api/files/:file/draft/check': { for: 'builder', body: DRAFT },
  'POST /api/files/:file/draft/found': { for: 'builder', body: { ...DRAFT, number: 0, offset: 0 } },
  'POST /api/files/:file/draft/preview': {
    for: 'builder',
    body: { ...DRAFT, table: 't_hire', field: 'f_hireMonthlyFee' },
  },
  'POST /api/files/:file/draft/apply': { for: 'builder', body: { base: 999, changes: [] }, status: 409 },
  'POST /api/files/:file/links/offers': { for: 'builder', body: {} },
  'GET /api/files/:file/progress/:watch': { for: 'builder' },
  'GET /api/taking-in/:watch': { for: 'signed-in' },
  'GET /api/files/:file/changes': { for: 'builder' },
  'POST /api/files/:file/changes/:version/undo': {
    for: 'builder',
    params: { version: '99' },
    body: {},
    status: 409,
  },
  'PUT /api/files/:file/definitions/:id': { for: 'builder', body: { document: QUERY, base: 0 } },
  'DELETE /api/files/:file/definitions/:id': { for: 'builder', query: 'base=1' },
  'GET /api/files/:file/sound': { for: 'builder' },
  'POST /api/files/:file/sound': { for: 'builder', body: {} },
  'POST /api/files/:file/sound/found': { for: 'builder', body: { number: 0, offset: 0 } },
  'POST /api/files/:file/sound/repair': { for: 'builder', body: {} },
  'POST /api/files/:file/tables/:table/window': { for: 'builder', body: { start: 0, limit: 1 } },
  'GET /api/files/:file/tables/:table/row': { for: 'builder', query: 'key=[1]' },
  'POST /api/files/:file/tables/:table/along': { for: 'builder', body: { keys: [[1]] } },
  'POST /api/files/:file/tables/:table/children': { for: 'builder', body: { keys: [[1]], links: [] } },
  'POST /api/files/:file/tables/:table/work-out': {
    for: 'builder',
    body: { field: 'f_schoolPhone', expression: 'name', keys: [[1]] },
  },
  'POST /api/files/:file/rows': { for: 'builder', body: DELETION, status: 422 },
  'POST /api/files/:file/lookups/:field': { for: 'builder', body: { search: '' } },
  'POST /api/files/:file/forms/preview': {
    for: 'builder',
    body: {
      form: {
        type: 'form',
        id: 'o_x',
        label: 'X',
        table: 't_school',
        parts: [],
        rights: { add: true, change: true, delete: true },
      },
      key: null,
    },
  },
  'POST /api/files/:file/query/run': { for: 'builder', body: { query: QUERY } },
  'POST /api/files/:file/query/rows': {
    for: 'builder',
    body: { query: QUERY, asked: { what: 'cell', keys: {} } },
  },
  'POST /api/files/:file/query/counts': { for: 'builder', body: { query: QUERY } },
  'POST /api/files/:file/query/advice': { for: 'builder', body: { query: QUERY } },
  'POST /api/files/:file/reports/pages': { for: 'builder', body: { report: null }, status: 400 },
  'GET /api/files/:file/reports/:report/pdf': { for: 'builder' },
  'POST /api/files/:file/map/pdf': { for: 'builder', body: {}, status: 400 },
  'GET /api/files/:file/definitions.zip': { for: 'builder' },
  'POST /api/files/:file/definitions/read': { for: 'builder', body: {}, status: 400 },
  'GET /api/files/:file/schema.sql': { for: 'builder' },
};

export const PARAMS: Readonly<Record<string, string>> = {
  sheet: 's_none',
  form: 'json',
  view: 'v_none',
  entry: '999999',
  id: 'q_new',
  table: 't_school',
  field: 'f_hirePlayer',
  report: 'p_overdue',
  screen: 'o_hireDesk',
  board: 'h_overview',
  attachment: '1',
  watch: 'w',
};

/** Calls a route with the usual body, query and parameters. */
export function callRoute(
  office: Office,
  route: string,
  who: 'builder' | 'colleague' | null,
  file = office.file,
): Promise<Answer> {
  const [method, url] = route.split(' ') as ['GET', string];
  const { body, query, params } = ROUTES[route]!;
  const address = url.replace(/:(\w+)/g, (_, name: string) =>
    name === 'file' ? file : (params?.[name] ?? PARAMS[name]!),
  );
  return office.call(method, query ? `${address}?${query}` : address, body, who);
}
