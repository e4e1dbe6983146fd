import type { RowKey } from '@heathridge/core/rows';

/** Somebody who has a record open, on one page. */
interface Here {
  readonly account: string;
  readonly name: string;
  readonly table: string;
  readonly key: string;
  /** In milliseconds; who has not said anything since is gone. */
  readonly until: number;
}

/** Milliseconds after which somebody counts as gone who has not said that she is still here: twice and a half its beat. */
const STAYS = 50_000;
/** Pages that are remembered for a file; more would be no people. */
const MOST = 2000;

/** Who has which record open, as far as pages say so while they show it. Nothing of it is kept beyond this process. */
export class Presence {
  private readonly files = new Map<string, Map<string, Here>>();

  /** Takes that a page shows a record, or none any more; gives the names of others who have the same open. */
  here(
    file: string,
    page: string,
    who: { readonly id: string; readonly name: string },
    at: { readonly table: string; readonly key: RowKey } | null,
    now: number,
  ): string[] {
    const pages = this.files.get(file) ?? new Map<string, Here>();
    this.files.set(file, pages);
    for (const [name, { until }] of pages) if (until <= now) pages.delete(name);
    const own = `${who.id} ${page}`;
    pages.delete(own);
    if (!at) return [];
    const key = JSON.stringify(at.key);
    const others = [...pages.values()].filter(
      (other) => other.account !== who.id && other.table === at.table && other.key === key,
    );
    if (pages.size < MOST)
      pages.set(own, { account: who.id, name: who.name, table: at.table, key, until: now + STAYS });
    return [...new Set(others.map(({ name }) => name))].sort();
  }
}
