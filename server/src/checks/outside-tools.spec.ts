import { execFileSync, spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Office } from '../testing/office';

// The sqlite3 command line and poppler's tools come from Debian's packages (see scripts/setup.mjs).

describe('the demo file in the sqlite3 command line', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const sqlite = (sql: string): string =>
    execFileSync('sqlite3', [office.path, `PRAGMA foreign_keys = ON; ${sql}`], { encoding: 'utf8' }).trim();
  const refused = (sql: string): string => {
    const { status, stderr } = spawnSync('sqlite3', [office.path, `PRAGMA foreign_keys = ON; ${sql}`], {
      encoding: 'utf8',
    });
    expect(status).withContext(sql).not.toBe(0);
    return stderr;
  };

  it('has STRICT tables with foreign keys and named constraints', () => {
    const loose = sqlite(
      `SELECT name FROM pragma_table_list WHERE type = 'table' AND strict = 0 AND schema = 'main' AND name NOT LIKE 'hr\\_%' ESCAPE '\\' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'`,
    );
    expect(loose).toBe('');
    expect(
      sqlite(`SELECT group_concat("table" || '.' || "from", ' ') FROM pragma_foreign_key_list('hire')`),
    ).toBe('instrument.instrument player.player');
    const sql = sqlite("SELECT sql FROM sqlite_schema WHERE name = 'hire'");
    for (const name of ['link f_hirePlayer', 'rule r_dueBack', 'kind f_hireHiredOn', 'filled f_hireDueBack'])
      expect(sql).toContain(`CONSTRAINT "${name}"`);
    expect(sqlite('PRAGMA application_id')).toBe(String(0x48524447));
    expect(sqlite('PRAGMA integrity_check')).toBe('ok');
    expect(sqlite('PRAGMA foreign_key_check')).toBe('');
  });

  it('refuses what breaks a rule, whoever writes it', () => {
    const insert = (due: string, fee = '1250'): string =>
      `INSERT INTO hire (player, instrument, hired_on, due_back, monthly_fee) VALUES (1, 1, '2026-11-01', '${due}', ${fee})`;
    expect(refused(insert('2026-10-01'))).toContain('rule r_dueBack');
    expect(refused(insert('2027-02-30'))).toContain('kind f_hireDueBack');
    expect(refused(insert('2027-01-01', '60000'))).toContain('rule r_fee');
    expect(refused(insert('2027-01-01', "'much'"))).toContain('cannot store TEXT');
    expect(
      refused("INSERT INTO player (surname, first_name, born, active) VALUES ('A', 'B', '2999-01-01', 1)"),
    ).toContain('rule:r_born A date of birth lies in the past.');
    expect(refused("UPDATE instrument SET condition = 'Lost' WHERE asset_number = 1")).toContain(
      'kind f_instrumentCondition',
    );
    expect(refused('DELETE FROM player WHERE number = (SELECT player FROM hire LIMIT 1)')).toContain(
      'FOREIGN KEY',
    );
    sqlite(insert('2027-01-01'));
    expect(sqlite('SELECT count(*) FROM hire')).toBe('3919');
  });

  it('reads tables as people see them', () => {
    const [row] = JSON.parse(
      execFileSync(
        'sqlite3',
        ['-json', office.path, 'SELECT * FROM hire_readable WHERE hire_number = 1417'],
        { encoding: 'utf8' },
      ),
    ) as Record<string, unknown>[];
    expect(row!['player']).toMatch(/^\S+, \S+$/);
    expect(row!['player_key']).toBe(Number(sqlite('SELECT player FROM hire WHERE hire_number = 1417')));
    expect(row!['monthly_fee']).toMatch(/^\d+\.\d\d$/);
  });

  it('starts new rows as the definitions say', () => {
    sqlite('INSERT INTO instrument (kind) VALUES (3)');
    expect(sqlite('SELECT condition FROM instrument ORDER BY asset_number DESC LIMIT 1')).toBe('Good');
  });
});

describe('a PDF read back with poppler', () => {
  let office: Office;
  let pdf: string;
  beforeAll(async () => {
    office = await Office.open();
    pdf = join(office.data, 'report.pdf');
    const { status, raw, headers } = await office.call('GET', 'reports/p_spend/pdf');
    expect(status).toBe(200);
    expect(headers['content-type']).toBe('application/pdf');
    writeFileSync(pdf, raw);
  });
  afterAll(() => office.close());

  const report = () => office.design.reports.find(({ id }) => id === 'p_spend')!;

  it('has the pages of the preview, on A4', async () => {
    const { body } = await office.call('POST', 'reports/pages', { report: report() });
    const info = execFileSync('pdfinfo', [pdf], { encoding: 'utf8' });
    expect(info).toContain(`Pages:           ${body.pages.length}`);
    expect(info).toMatch(/Page size:\s+595\.27\d* x 841\.8\d* pts \(A4\)/);
    expect(info).toContain('Repair spend by technician');
  });

  it('says on each page what the preview says', async () => {
    const { body } = await office.call('POST', 'reports/pages', { report: report() });
    const words = (text: string): string[] =>
      text
        .split(/\s+/)
        .filter((word) => word !== '')
        .sort();
    (body.pages as { items: { item: string; text?: string }[] }[]).forEach(({ items }, i) => {
      const page = execFileSync(
        'pdftotext',
        ['-f', String(i + 1), '-l', String(i + 1), '-layout', pdf, '-'],
        { encoding: 'utf8' },
      );
      const expected = items.flatMap(({ item, text }) => (item === 'text' ? [text!] : [])).join(' ');
      expect(words(page)).toEqual(words(expected));
    });
  });

  it('has the totals of the query', async () => {
    const [[units]] = office.app.context.files
      .get(office.file)
      .reader.prepare(
        "SELECT sum(l.cost) FROM repair_line l JOIN repair r ON r.job = l.repair WHERE r.done_on >= date('2026-11-25', '-6 months')",
      )
      .raw()
      .all() as [[number]];
    const total = `£${(units / 100).toLocaleString('en-GB', { minimumFractionDigits: 2 })}`;
    const text = execFileSync('pdftotext', ['-layout', pdf, '-'], { encoding: 'utf8' });
    const line = text.split('\n').find((candidate) => candidate.trim().startsWith('All '))!;
    expect(line).toContain(total);
    const { body } = await office.call('POST', 'reports/pages', { report: report() });
    expect(Number(body.totals.cost)).toBe(units / 100);
  });

  it('paints letters that can be seen, in embedded fonts', () => {
    const fonts = execFileSync('pdffonts', [pdf], { encoding: 'utf8' });
    expect(fonts).toContain('AtkinsonHyperlegible');
    expect(
      fonts
        .split('\n')
        .slice(2)
        .filter((line) => line.trim() !== '' && !/yes yes yes/.test(line)),
    ).toEqual([]);
    const grey = execFileSync('pdftoppm', ['-f', '1', '-l', '1', '-r', '50', '-gray', pdf], {
      maxBuffer: 1 << 24,
    });
    const dark = grey.subarray(20).filter((value) => value < 140).length;
    // Lines alone darken a few hundred dots; a page of text, thousands.
    expect(dark).toBeGreaterThan(2000);
  });
});
