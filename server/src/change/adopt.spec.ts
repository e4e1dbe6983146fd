import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'libsql';
import { allLinks, linkWords, type Design } from '@heathridge/core/design';
import type { LinkOffer } from '@heathridge/core/plan';
import { differences, fromFolder, standardDdl, toFolder } from '@heathridge/core/exchange';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

/**
 * The COMPANY schema of R. Elmasri and S. B. Navathe, Fundamentals of Database Systems, chapter "The
 * Relational Data Model" (from memory): employees who supervise one another, departments, and projects on
 * which many employees work, each on many.
 */
const COMPANY = `
  CREATE TABLE department (
    dname VARCHAR(15) NOT NULL UNIQUE,
    dnumber INTEGER PRIMARY KEY,
    mgr_ssn CHAR(9) NOT NULL REFERENCES employee (ssn),
    mgr_start_date DATE
  );
  CREATE TABLE employee (
    fname VARCHAR(15) NOT NULL,
    lname VARCHAR(15) NOT NULL,
    ssn CHAR(9) PRIMARY KEY NOT NULL,
    bdate DATE,
    sex CHAR CHECK (sex IN ('F', 'M')),
    salary DECIMAL(10,2) CHECK (salary > 0),
    super_ssn CHAR(9) REFERENCES employee (ssn) ON DELETE SET NULL,
    dno INT NOT NULL REFERENCES department (dnumber)
  );
  CREATE TABLE project (pname VARCHAR(15) NOT NULL, pnumber INTEGER PRIMARY KEY, dnum INT NOT NULL REFERENCES department (dnumber));
  CREATE TABLE works_on (
    essn CHAR(9) NOT NULL REFERENCES employee (ssn) ON DELETE CASCADE,
    pno INT NOT NULL REFERENCES project (pnumber) ON DELETE CASCADE,
    hours DECIMAL(3,1),
    PRIMARY KEY (essn, pno)
  );
  CREATE TABLE dependent (
    essn CHAR(9) NOT NULL REFERENCES employee (ssn) ON DELETE CASCADE,
    dependent_name VARCHAR(15) NOT NULL,
    bdate DATE,
    PRIMARY KEY (essn, dependent_name)
  );
  CREATE TABLE checkup (
    essn CHAR(9) NOT NULL,
    name VARCHAR(15) NOT NULL,
    day DATE NOT NULL,
    FOREIGN KEY (essn, name) REFERENCES dependent (essn, dependent_name) ON DELETE CASCADE
  );
  CREATE INDEX employee_lname ON employee (lname);
  CREATE UNIQUE INDEX project_in_department ON project (dnum, pname);
  CREATE INDEX works_by_hours ON works_on (pno, hours);
  CREATE VIEW managers AS SELECT fname, lname FROM employee, department WHERE ssn = mgr_ssn;
  INSERT INTO employee VALUES ('Ada', 'Quill', '100000001', '1965-01-09', 'F', 43000.5, NULL, 5), ('Ben', 'Rook', '100000002', NULL, 'M', 30000, '100000001', 5);
  INSERT INTO department VALUES ('Research', 5, '100000001', '1988-05-22');
  INSERT INTO project VALUES ('ProductX', 1, 5), ('ProductY', 2, 5);
  INSERT INTO works_on VALUES ('100000001', 1, 32.5), ('100000002', 1, 7.5), ('100000002', 2, NULL);
  INSERT INTO dependent VALUES ('100000002', 'Kit', '1999-04-05');
  INSERT INTO checkup VALUES ('100000002', 'Kit', '2026-01-02');
`;

describe('taking in a foreign file', () => {
  let office: Office;
  const folder = mkdtempSync(join(tmpdir(), 'heathridge-adopt-'));
  let count = 0;

  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(async () => {
    await office.close();
    rmSync(folder, { recursive: true, force: true });
  });

  async function takeIn(sql: string, name = `File ${++count}`): Promise<Answer> {
    const path = join(folder, `${++count}.db`);
    const db = new Database(path);
    // Tables that point to each other are filled in any order.
    db.exec(`PRAGMA foreign_keys = OFF; ${sql}`);
    db.close();
    return send(readFileSync(path), name);
  }

  const send = (bytes: Buffer, name: string): Promise<Answer> =>
    office.call('POST', `/api/files/adopt?name=${encodeURIComponent(name)}`, bytes, 'builder', {
      'content-type': 'application/vnd.sqlite3',
    });

  const designOf = (id: string): Design => office.app.context.files.get(id).design;
  const rows = (id: string, sql: string): unknown[][] =>
    office.app.context.files.get(id).reader.prepare(sql).raw().all() as unknown[][];

  it('reads a textbook schema with a link of many to many and one to itself', async () => {
    const { status, body } = await takeIn(COMPANY);
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    const design = designOf(body.id);
    expect(design.tables.map(({ name }) => name)).toEqual([
      'department',
      'employee',
      'project',
      'works_on',
      'dependent',
      'checkup',
    ]);
    const links = allLinks(design).map(
      (link) => `${link.child.name}.${link.name} → ${link.parent.name}, ${link.onDelete}`,
    );
    expect(links).toEqual([
      'department.mgr_ssn → employee, refuse',
      'employee.super_ssn → employee, leaveEmpty',
      'employee.dno → department, refuse',
      'project.dnum → department, refuse',
      'works_on.essn → employee, deleteAlong',
      'works_on.pno → project, deleteAlong',
      'dependent.essn → employee, deleteAlong',
      'checkup.dependent → dependent, deleteAlong',
    ]);
    const field = (table: string, name: string) =>
      design.tables.find((item) => item.name === table)!.fields.find((item) => item.name === name)!;
    expect(field('employee', 'salary').type).toEqual({ kind: 'decimal', places: 2 });
    expect(field('employee', 'sex').type).toEqual({ kind: 'choice', choices: ['F', 'M'] });
    expect(field('employee', 'bdate').type).toEqual({ kind: 'date' });
    expect(field('employee', 'lname')).toEqual(
      jasmine.objectContaining({ indexed: true, alwaysFilled: true }),
    );
    expect(field('department', 'dname').noTwoAlike).toBeTrue();
    expect(field('project', 'pnumber').type.kind).toBe('runningNumber');
    expect(design.tables.map(({ noTwoAlike }) => noTwoAlike)).toEqual([
      [],
      [],
      [['f_projectdnum', 'f_projectpname']],
      [],
      [],
      [],
    ]);
    const works = design.tables.find(({ name }) => name === 'works_on')!;
    expect(works.key.length).toBe(2);
    expect(
      design.tables.find(({ name }) => name === 'employee')!.rules.map(({ expression }) => expression),
    ).toEqual(['"#f_employeesalary" > 0']);
    const words = allLinks(design).map(linkWords);
    expect(words[1]).toContain('Each employee belongs to at most one employee (Super ssn)');
    // What has no definition is kept and named.
    expect(design.kept.map(({ what, name }) => `${what} ${name}`)).toEqual([
      'index works_by_hours',
      'view managers',
    ]);
    expect(body.notes.join('\n')).toContain('The view managers is kept as it is.');
    expect(body.notes.join('\n')).toContain('checkup had no key');
    expect(rows(body.id, 'SELECT essn, pno, hours FROM works_on ORDER BY 1, 2')).toEqual([
      ['100000001', 1, 325],
      ['100000002', 1, 75],
      ['100000002', 2, null],
    ]);
    expect(rows(body.id, 'SELECT salary FROM employee_readable ORDER BY 1')).toEqual([
      ['30000.00'],
      ['43000.50'],
    ]);
    expect(rows(body.id, 'SELECT * FROM managers')).toEqual([['Ada', 'Quill']]);
    expect(rows(body.id, 'PRAGMA foreign_key_check')).toEqual([]);
  });

  it('loses no value of a file that keeps to no types', async () => {
    const { body } = await takeIn(`
      CREATE TABLE odd (a, b REAL, c TEXT DEFAULT 'x', d BLOB, e DATETIME, "hr_name" INTEGER, f BOOLEAN NOT NULL DEFAULT 1, g TEXT NOT NULL);
      INSERT INTO odd VALUES (1, 0.1, 'two' || char(10) || 'lines', x'0102', '2026-11-04 14:30:00', 7, 1, '');
      INSERT INTO odd VALUES ('text', 12.3456789, NULL, NULL, NULL, NULL, 0, 'g');
      CREATE TABLE "select" (id INTEGER PRIMARY KEY, n INTEGER CHECK (n != 3), "when" INTEGER AS (n * 2) STORED);
      INSERT INTO "select" (n) VALUES (1), (9007199254740993);
      CREATE TRIGGER odd_log AFTER INSERT ON odd BEGIN SELECT 1; END;
      CREATE INDEX partial ON odd (c) WHERE c IS NOT NULL;
      CREATE VIRTUAL TABLE words USING fts5(w);
    `);
    expect(body.detail).toBeUndefined();
    const design = designOf(body.id);
    const [odd, chosen] = design.tables as [Design['tables'][0], Design['tables'][0]];
    expect(odd.fields.map(({ type }) => type.kind)).toEqual([
      'runningNumber',
      'text',
      'text',
      'longText',
      'file',
      'dateTime',
      'wholeNumber',
      'tick',
      'text',
    ]);
    expect(rows(body.id, 'SELECT a, b, c, e, n_hr_name, f, g FROM odd ORDER BY number')).toEqual([
      ['1', '0.1', 'two\nlines', '2026-11-04T14:30:00Z', 7, 1, null],
      ['text', '12.3456789', null, null, null, 0, 'g'],
    ]);
    expect(rows(body.id, 'SELECT hex(bytes) FROM hr_attachment JOIN odd ON odd.d = id')).toEqual([['0102']]);
    expect(chosen.fields.map(({ type }) => type.kind)).toEqual(['runningNumber', 'text', 'text']);
    expect(rows(body.id, 'SELECT n, "when" FROM "select"')).toEqual([
      ['1', '2'],
      ['9007199254740993', '18014398509481986'],
    ]);
    const notes = body.notes.join('\n') as string;
    for (const part of [
      'hr_name',
      'more than 6 decimal places',
      'texts without any character',
      'was worked out by the file',
      'partial',
      'words is no plain table',
      'The check (n != 3)',
    ])
      expect(notes).toContain(part);
  });

  it('goes on as a file like any other: drafts apply and undo, what was kept stays', async () => {
    const { body } = await takeIn(COMPANY);
    const other = { ...office, file: body.id };
    const call = (url: string, payload?: unknown) =>
      office.call('POST', `/api/files/${other.file}/${url}`, payload);
    const base = designOf(body.id).version;
    const changes = [
      { change: 'changeField', table: 't_employee', field: 'f_employeelname', set: { alwaysFilled: false } },
    ];
    expect((await call('draft/apply', { base, changes })).status).toBe(200);
    expect(rows(body.id, 'SELECT * FROM managers')).toEqual([['Ada', 'Quill']]);
    // No statement is left open by what was asked of the view: the log can be emptied at once.
    const { writer } = office.app.context.files.get(body.id);
    expect(writer.prepare('PRAGMA wal_checkpoint(TRUNCATE)').raw().all()).toEqual([[0, 0, 0]]);
    expect((await call(`changes/${base + 1}/undo`, {})).status).toBe(200);
    expect(designOf(body.id).tables[1]!.fields[1]!.alwaysFilled).toBeTrue();
    // A draft that does not go with what is kept is stopped, and nothing has happened.
    const rename = [
      { change: 'changeField', table: 't_employee', field: 'f_employeefname', set: { name: 'given' } },
    ];
    const refused = await call('draft/apply', { base: base + 2, changes: rename });
    expect(refused.status).toBe(422);
    expect(refused.body.detail).toContain('managers');
    expect(rows(body.id, 'SELECT * FROM managers')).toEqual([['Ada', 'Quill']]);
  });

  it('takes a file of its own as it is', async () => {
    const { body } = await takeIn(COMPANY, 'First');
    const { path } = office.app.context.files.get(body.id);
    office.app.context.files.get(body.id).writer.exec('PRAGMA wal_checkpoint(TRUNCATE)');
    const again = await send(readFileSync(path), 'Second');
    expect(again.status).toBe(200);
    expect(designOf(again.body.id).tables).toEqual(designOf(body.id).tables);
  });

  it('refuses what is no SQLite file, and a damaged one', async () => {
    expect((await send(Buffer.from('name;amount\n'), 'Text')).body.detail).toBe('This is no SQLite file.');
    expect((await takeIn('SELECT 1', 'Nothing')).status).toBe(400);
    const path = join(folder, 'whole.db');
    const whole = new Database(path);
    whole.exec(
      'CREATE TABLE a (t TEXT); INSERT INTO a SELECT hex(randomblob(500)) FROM generate_series(1, 200)',
    );
    whole.close();
    const bytes = readFileSync(path);
    // Cut inside its first page, and behind some whole pages.
    for (const length of [3000, 40 * 1024]) {
      const cut = await send(bytes.subarray(0, length), 'Cut');
      expect(cut.status).withContext(String(length)).toBe(422);
      expect(cut.body.detail)
        .withContext(String(length))
        .toMatch(/^This file (cannot be read|is damaged)/);
    }
    const { body } = await office.call('GET', '/api/files');
    expect(
      body.files.some(({ name }: { name: string }) => name === 'Text' || name === 'Nothing'),
    ).toBeFalse();
    expect((await takeIn(COMPANY, 'First')).status).toBe(409);
  });

  it('writes its definition as a folder that reads back the same, and as standard SQL', async () => {
    const { body } = await takeIn(COMPANY);
    const design = designOf(body.id);
    const files = toFolder(design);
    expect(files.map(({ path }) => path)).toContain('tables/employee.t_employee.json');
    expect(toFolder(design)).toEqual(files);
    const read = fromFolder(files);
    expect(read.ok && differences(design, read.design)).toEqual([]);
    expect(standardDdl(design)).toContain('ADD CONSTRAINT "l_checkupdependent" FOREIGN KEY ("essn", "name")');
  });

  it('offers the links that such a file leaves out, with the share of rows that match', async () => {
    const { body } = await takeIn(`
      CREATE TABLE school (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
      CREATE TABLE pupil (id INTEGER PRIMARY KEY, surname TEXT NOT NULL, school_id INTEGER, taught_at TEXT, age INTEGER);
      INSERT INTO school VALUES (1, 'Aldermoor Primary'), (2, 'Brackenhall'), (3, 'Coldwell Road'), (4, 'Dunmere');
      INSERT INTO pupil (surname, school_id, taught_at, age)
        SELECT 'Pupil ' || value, 1 + value % 4, (SELECT ' ' || upper(name) FROM school WHERE id = 1 + value % 4), 1 + value % 3
        FROM generate_series(1, 40);
      UPDATE pupil SET school_id = 99 WHERE id <= 4; UPDATE pupil SET taught_at = 'elsewhere' WHERE id = 7;`);
    const offers = async (request: object): Promise<LinkOffer[]> =>
      (await office.call('POST', `/api/files/${body.id}/links/offers`, request)).body.offers;
    const found = (await offers({})).map(({ on, by, named, rows, matching }) => [
      on[0]!.own,
      by,
      named,
      rows,
      matching,
    ]);
    const fields = designOf(body.id).tables.find(({ name }) => name === 'pupil')!.fields;
    const id = (name: string): string => fields.find((field) => field.name === name)!.id;
    // The ages are all ids of schools too, by chance: they are not offered.
    expect(found).toEqual([
      [id('school_id'), 'key', true, 40, 36],
      [id('taught_at'), 'text', false, 40, 39],
    ]);
    const [school, pupil] = ['school', 'pupil'].map((name) =>
      designOf(body.id).tables.find((table) => table.name === name)!,
    );
    const between = await offers({ between: { child: pupil!.id, parent: school!.id } });
    expect(between.find(({ on }) => on[0]!.own === id('age'))).toEqual(
      jasmine.objectContaining({ named: false, rows: 40, matching: 40 }),
    );

    // What is offered can be drafted, and Check lists the rows without a partner.
    const change = {
      change: 'changeField',
      table: pupil!.id,
      field: id('school_id'),
      set: { type: { kind: 'lookup', table: school!.id, shows: null, onDelete: 'refuse' } },
    };
    const draft = { base: designOf(body.id).version, changes: [change] };
    const check = (await office.call('POST', `/api/files/${body.id}/draft/check`, draft)).body;
    expect(check.clear).toBeFalse();
    expect(check.findings.map(({ count }: { count: number }) => count)).toEqual([4]);
  });
});
