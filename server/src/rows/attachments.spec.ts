import { createHash } from 'node:crypto';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { MOST_ATTACHED, MOST_BYTES } from './attachments';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

const BYTES = { 'content-type': 'application/octet-stream' };

describe('pictures and files of a database', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const send = (bytes: Buffer, name = 'some.bin'): Promise<Answer> =>
    office.call('POST', `attachments?name=${name}`, bytes, 'builder', BYTES);
  const left = (): string[] => {
    const folder = join(office.data, 'sheets');
    return existsSync(folder) ? readdirSync(folder) : [];
  };
  const write = (sql: string): unknown => office.app.context.files.get(office.file).writer.exec(sql);

  it('come and go by way of the disk, byte by byte, and leave nothing there', async () => {
    // Large enough not to be sent from memory, and no two blocks of it alike.
    const bytes = Buffer.concat(
      Array.from({ length: 60_000 }, (_, i) => createHash('sha256').update(String(i)).digest()),
    );
    const kept = await send(bytes, 'large.bin');
    expect(kept.status).withContext(JSON.stringify(kept.body)).toBe(200);
    expect(kept.body.size).toBe(bytes.length);
    const read = await office.call('GET', `attachments/${kept.body.id}`);
    expect(read.headers['content-length']).toBe(String(bytes.length));
    expect(read.raw.equals(bytes)).toBeTrue();
    const small = await send(Buffer.from('small'));
    expect((await office.call('GET', `attachments/${small.body.id}`)).raw.toString()).toBe('small');
    expect(left()).toEqual([]);
    const [[sha256]] = office.ask<[string]>(
      `SELECT sha256 FROM hr_attachment WHERE id = ${kept.body.id}`,
    ) as [[string]];
    expect(sha256).toBe(createHash('sha256').update(bytes).digest('hex'));
  });

  it('are refused in words where they are none, or too many, and nothing of them stays', async () => {
    const before = office.ask('SELECT count(*) FROM hr_attachment');
    expect((await send(Buffer.alloc(0))).body.detail).toBe('some.bin is empty.');
    const large = await send(Buffer.alloc(MOST_BYTES + 1));
    expect([large.status, large.body.detail]).toEqual([413, 'This may have 25 MB at most.']);
    const none = await office.call(
      'POST',
      'attachments?name=a.png&picture=yes',
      Buffer.from('no picture'),
      'builder',
      BYTES,
    );
    expect([none.status, none.body.detail]).toEqual([
      400,
      'a.png is no picture that can be shown: PNG, JPEG, GIF, WebP or AVIF.',
    ]);
    expect(office.ask('SELECT count(*) FROM hr_attachment')).toEqual(before);
    expect(left()).toEqual([]);
  });

  it('have so much room, which is told, and no more of them are taken', async () => {
    const { body: room } = await office.call('GET', 'attachments');
    const [[all]] = office.ask<[number]>('SELECT sum(size) FROM hr_attachment') as [[number]];
    expect(room).toEqual({ bytes: all, most: MOST_ATTACHED });
    const { body: big } = await send(Buffer.from('stands for one of two gigabytes'), 'big.bin');
    write(`UPDATE hr_attachment SET size = ${MOST_ATTACHED - all} WHERE id = ${big.id}`);
    const refused = await send(Buffer.from('one more'), 'more.bin');
    expect(refused.status).toBe(413);
    expect(refused.body.detail).toMatch(/^There is no room for more\.bin: .* have 2\.00 of 2\.00 GB\./);
    // What a row holds stays however old it is; what none has held for long makes room.
    const [[picture]] = office.ask<[number]>('SELECT picture FROM instrument WHERE picture IS NOT NULL') as [
      [number],
    ];
    write(`UPDATE hr_attachment SET at = '2020-01-01T00:00:00Z' WHERE id IN (${picture}, ${big.id})`);
    expect((await send(Buffer.from('one more'), 'more.bin')).status).toBe(200);
    expect(office.ask(`SELECT id FROM hr_attachment WHERE id IN (${picture}, ${big.id})`)).toEqual([
      [picture],
    ]);
  });

  // What is asked of each link, as the engine asks it when the other end is deleted.
  const unaided = (): string[] =>
    office
      .ask<[string, string]>(
        'SELECT m.name, f."from" FROM sqlite_schema AS m JOIN pragma_foreign_key_list(m.name) AS f WHERE m.type = \'table\' AND f.seq = 0',
      )
      .map(([table, column]) => `SELECT 1 FROM "${table}" AS t WHERE t."${column}" = 1`)
      .filter((sql) =>
        office
          .ask<[number, number, number, string]>(`EXPLAIN QUERY PLAN ${sql}`)
          .some(([, , , step]) => step.startsWith('SCAN')),
      );

  it('are found by an index, as all that a field leads to is; files of before get one', async () => {
    expect(unaided()).toEqual([]);
    write(`DROP INDEX "index f_instrumentPicture"`);
    expect(unaided()).toEqual(['SELECT 1 FROM "instrument" AS t WHERE t."picture" = 1']);
    write("UPDATE hr_definition SET document = json_set(document, '$.format', 15) WHERE type = 'settings'");
    office.app.context.files.close();
    expect((await office.call('GET', 'design')).status).toBe(200);
    expect(unaided()).toEqual([]);
  });

  it('wait for who writes to the file, and are one at a time', async () => {
    const run = spyOn(office.app.context.jobs, 'run').and.callThrough();
    const all = await Promise.all(
      Array.from({ length: 6 }, (_, i) => send(Buffer.from(`at once ${i}`), `once${i}.bin`)),
    );
    expect(all.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200, 200]);
    expect(new Set(all.map(({ body }) => body.id as number)).size).toBe(6);
    expect(run.calls.allArgs().every(([, task]) => task.task === 'keep attachment')).toBeTrue();
  });
});
