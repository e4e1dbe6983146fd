import { mkdirSync, readdirSync, readFileSync, rmSync, statSync, existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { SheetForm } from '@heathridge/core/sheet';

/** What is known of a sheet that was sent, beside its bytes. */
export interface SheetInfo {
  readonly id: string;
  /** The file it is to come into, and the account that sent it. */
  readonly file: string;
  readonly account: string;
  /** As it was called there. */
  readonly name: string;
  readonly form: SheetForm;
  readonly bytes: number;
  /** Where it was fetched; null for what somebody sent. */
  readonly address: string | null;
}

/** Milliseconds for which a sheet is kept that nobody brings in: a day. */
const KEPT = 24 * 3600 * 1000;
/** Sheets of one person that are kept at once, the one that comes among them. */
const MOST_KEPT = 20;

/** Where sheets lie between being sent and being brought in, each in a folder of its own. */
export class SheetFolder {
  constructor(readonly root: string) {}

  /**
   * Makes room for something that somebody sends or has made: what is old goes, and of her own sheets those that have lain
   * longest where there are many. What others send, and what is just being written, is not touched.
   */
  make(id: string, account: string, now: number): string {
    mkdirSync(this.root, { recursive: true });
    const there = readdirSync(this.root)
      .map((name) => ({ name, path: join(this.root, name), at: statSync(join(this.root, name)).mtimeMs }))
      .sort((a, b) => b.at - a.at);
    let own = 0;
    for (const { name, path, at } of there) {
      const isOwn = this.read(name)?.account === account;
      if (isOwn) own++;
      if (now - at > KEPT || (isOwn && own >= MOST_KEPT)) rmSync(path, { recursive: true, force: true });
    }
    const folder = join(this.root, id);
    mkdirSync(folder);
    return folder;
  }

  /** Where a sheet is written that is taken out. */
  placeFor(id: string, ending: string): string {
    mkdirSync(this.root, { recursive: true });
    return join(this.root, `${id}.${ending}`);
  }

  keep(info: SheetInfo): void {
    writeFileSync(join(this.root, info.id, 'info.json'), JSON.stringify(info));
  }

  /** The sheet that this person sent for this file; null when there is none. */
  find(id: string, file: string, account: string): (SheetInfo & { readonly folder: string }) | null {
    const info = this.read(id);
    return info?.file === file && info.account === account ? { ...info, folder: join(this.root, id) } : null;
  }

  /** What is known of a sheet that has come whole; null where there is none. */
  private read(id: string): SheetInfo | null {
    const path = join(this.root, id, 'info.json');
    if (!/^s_\w+$/.test(id) || !existsSync(path)) return null;
    return JSON.parse(readFileSync(path, 'utf8')) as SheetInfo;
  }

  remove(id: string): void {
    rmSync(join(this.root, id), { recursive: true, force: true });
  }
}

/** What lies in the folder of a sheet. */
export const partsOf = (folder: string) =>
  ({
    /** Its bytes as they came. */
    came: join(folder, 'came'),
    /** Its rows, one JSON array a line. */
    rows: join(folder, 'rows.jsonl'),
    look: join(folder, 'look.json'),
    /** What is to be written, once it has been checked. */
    staged: join(folder, 'staged.jsonl'),
    plan: join(folder, 'plan.json'),
    /** The rows that cannot be taken, as a sheet. */
    bad: join(folder, 'not-taken.csv'),
    trial: join(folder, 'trial.read'),
    /** Where values lie that no two rows may have alike, while there are more than memory is given for. */
    seen: (what: string) => join(folder, `seen-${what}.db`),
  }) as const;
