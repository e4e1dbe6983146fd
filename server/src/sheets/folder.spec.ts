import { existsSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { SheetFolder } from './folder';

describe('the folder of sheets on their way', () => {
  const NOW = Date.parse('2026-11-29T12:00:00Z');
  let root: string;
  let sheets: SheetFolder;
  beforeEach(() => {
    root = mkdtempSync(join(tmpdir(), 'heathridge-sheets-'));
    sheets = new SheetFolder(root);
  });
  afterEach(() => rmSync(root, { recursive: true, force: true }));

  /** Gives what lies there an age in minutes. */
  const age = (path: string, minutes: number): void => {
    const at = new Date(NOW - minutes * 60_000);
    utimesSync(path, at, at);
  };
  const sheet = (id: string, account: string, minutes: number): string => {
    const folder = sheets.make(id, account, NOW);
    sheets.keep({
      id,
      file: 'f_one',
      account,
      name: 'a.csv',
      form: 'json',
      bytes: 1,
      address: null,
    });
    age(folder, minutes);
    return folder;
  };

  it('keeps twenty of one person, the newest, and all of the others', () => {
    const theirs = Array.from({ length: 30 }, (_, i) => sheet(`s_theirs${i}`, `a_${i}`, 600 + i));
    const hers = Array.from({ length: 25 }, (_, i) => sheet(`s_hers${i}`, 'a_her', 300 - i));
    sheets.make('s_more', 'a_her', NOW);
    expect(hers.filter((path) => existsSync(path))).toEqual(hers.slice(-19));
    expect(theirs.every((path) => existsSync(path))).toBeTrue();
    expect(sheets.find('s_hers24', 'f_one', 'a_her')?.name).toBe('a.csv');
    expect(sheets.find('s_hers24', 'f_one', 'a_1')).toBeNull();
    expect(sheets.find('s_hers24', 'f_two', 'a_her')).toBeNull();
  });

  it('leaves what is just being sent or written, however much of it', () => {
    const coming = Array.from({ length: 40 }, (_, i) => sheets.placeFor(`a_${i}`, 'part'));
    for (const path of coming) writeFileSync(path, 'x');
    coming.forEach((path, i) => age(path, i));
    const copies = Array.from({ length: 25 }, (_, i) => sheets.make(`s_copy${i}`, 'a_her', NOW));
    sheets.make('s_more', 'a_her', NOW);
    expect([...coming, ...copies].every((path) => existsSync(path))).toBeTrue();
  });

  it('lets go of what nobody has taken for a day', () => {
    const old = sheet('s_old', 'a_her', 24 * 60 + 1);
    const left = sheets.placeFor('a_left', 'part');
    writeFileSync(left, 'x');
    age(left, 24 * 60 + 1);
    sheets.make('s_new', 'a_other', NOW);
    expect([existsSync(old), existsSync(left)]).toEqual([false, false]);
  });
});
