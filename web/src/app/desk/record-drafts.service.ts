import { inject, Injectable } from '@angular/core';
import * as v from 'valibot';
import { SessionService } from '../shared/session.service';
import type { RowKey } from '@heathridge/core/rows';
import { Toast } from '../shared/toast.service';

const HeldSchema = v.object({
  value: v.union([v.string(), v.number(), v.boolean(), v.null()]),
  text: v.optional(v.nullable(v.string())),
  typed: v.optional(v.string()),
  problem: v.optional(v.string()),
});
const Fields = v.record(v.string(), HeldSchema);
const KeySchema = v.pipe(v.array(v.union([v.string(), v.number()])), v.minLength(1));

/** What has been changed in one row: the fields alone that differ from the file, and what they held there. */
export interface KeptRow {
  /** Null for a row that is not in the file. */
  readonly key: (string | number)[] | null;
  readonly deleted: boolean;
  readonly was: v.InferOutput<typeof Fields>;
  readonly held: v.InferOutput<typeof Fields>;
  /** Of the rows within it; what was kept before there were any has none. */
  readonly children?: KeptList[] | undefined;
}
export interface KeptList {
  readonly link: string;
  readonly rows: KeptRow[];
}

const KeptLists = v.array(
  v.object({ link: v.string(), rows: v.array(v.lazy((): v.GenericSchema<unknown, KeptRow> => KeptRow)) }),
);
const KeptRow: v.GenericSchema<unknown, KeptRow> = v.object({
  key: v.nullable(KeySchema),
  deleted: v.boolean(),
  was: Fields,
  held: Fields,
  children: v.optional(KeptLists),
});
const KeptRecord = v.object({ record: KeptRow, children: KeptLists });
const RecordDraft = v.object({
  screen: v.string(),
  key: v.nullable(KeySchema),
  /** As the head of the page says: `Hire 4917`. */
  title: v.string(),
  /** When it was typed, in UTC. */
  at: v.string(),
  kept: KeptRecord,
});

export type KeptRecord = v.InferOutput<typeof KeptRecord>;
export type RecordDraft = v.InferOutput<typeof RecordDraft>;

const PREFIX = 'heathridge.record';

/**
 * What somebody has typed into records and not saved, kept in this browser: through a crash, a closed window, a lost
 * connection. Each person finds her own.
 */
@Injectable({ providedIn: 'root' })
export class RecordDrafts {
  private readonly session = inject(SessionService);
  private readonly toast = inject(Toast);
  private hasFailed = false;

  /** Those of a file, newest first. */
  list(file: string): RecordDraft[] {
    const start = `${this.start(file)} `;
    return Object.keys(localStorage)
      .filter((name) => name.startsWith(start))
      .flatMap((name) => this.read(name) ?? [])
      .sort((a, b) => (a.at < b.at ? 1 : -1));
  }

  find(file: string, screen: string, key: RowKey | null): RecordDraft | null {
    return this.read(this.name(file, screen, key));
  }

  keep(file: string, draft: RecordDraft): void {
    try {
      localStorage.setItem(this.name(file, draft.screen, draft.key), JSON.stringify(draft));
    } catch {
      // Said once: it would be said at every letter.
      if (!this.hasFailed)
        this.toast.say('This browser has no room to keep what you type: save it before you leave.');
      this.hasFailed = true;
    }
  }

  drop(file: string, screen: string, key: RowKey | null): void {
    localStorage.removeItem(this.name(file, screen, key));
  }

  /** What is there under a name; what is no draft, or one of a version that kept them otherwise, is none. */
  private read(name: string): RecordDraft | null {
    const text = localStorage.getItem(name);
    if (text === null) return null;
    const draft = v.safeParse(v.pipe(v.string(), v.parseJson(), RecordDraft), text);
    return draft.success ? draft.output : null;
  }

  private start(file: string): string {
    return `${PREFIX} ${this.session.person()?.id ?? ''} ${file}`;
  }

  private name(file: string, screen: string, key: RowKey | null): string {
    return `${this.start(file)} ${screen} ${JSON.stringify(key)}`;
  }
}
