import { computed, inject, Injectable, Injector, signal } from '@angular/core';
import { Subject } from 'rxjs';
import type { RowKey } from '@heathridge/core/rows';
import { FillCells } from './cells.service';
import { FillStore, rowId, type GridRow } from './fill.store';
import type { Leading } from './leading.service';
import { Lines } from './lines';
import { Others } from './others.service';
import { RowsEditor } from './rows-editor.service';

/** Lines that the rows beneath a row take: at least, and at most; more are scrolled through. */
const [FEWEST, MOST] = [2, 10];
/** Lines for what stands around them: their name, the headings, the row at the foot, and some air. */
const AROUND = 4;

/** What the rows that are unfolded are edited with: theirs alone. */
interface Parts {
  readonly fill: FillStore;
  readonly cells: FillCells;
  readonly editor: RowsEditor;
  readonly others: Others;
  readonly end: () => void;
}

/** Rows of another table, unfolded beneath the row to which they lead. */
export interface Unfolding {
  readonly parent: RowKey;
  /** What it is called: whose rows these are. */
  readonly title: string;
  readonly way: Leading;
  readonly lines: number;
  /** The place of the parent among all rows that are shown; null while it is not known to be among them. */
  readonly at: number | null;
  /** Its own editor and what goes with it: what waits there outlives scrolling, sorting and asking for other rows. */
  readonly parts: Parts;
}

export type Placed = Unfolding & { readonly at: number };

/** Which rows have others unfolded beneath them, and where. */
@Injectable()
export class Unfolded {
  private readonly injector = inject(Injector);
  readonly all = signal<readonly Unfolding[]>([]);
  readonly lines = computed(
    () => new Lines(this.all().filter((unfolding): unfolding is Placed => unfolding.at !== null)),
  );
  /** What is to have the cursor as soon as it is drawn. */
  readonly entered = signal<string | null>(null);
  /** What the cursor leaves, upwards. */
  readonly left = new Subject<Unfolding>();
  /** Those in which something waits to be put right. */
  readonly waiting = computed(() => this.all().filter((unfolding) => this.waitsIn(unfolding)));

  /** What is unfolded beneath a row, if anything is. */
  of(key: RowKey | null): Unfolding | undefined {
    return key === null ? undefined : this.all().find(({ parent }) => rowId(parent) === rowId(key));
  }

  private waitsIn({ parts }: Unfolding): boolean {
    return parts.fill.refused().size > 0 || parts.editor.newTouched();
  }

  private parts(): Parts {
    const made = Injector.create({
      providers: [FillStore, FillCells, RowsEditor, Others],
      parent: this.injector,
    });
    return {
      fill: made.get(FillStore),
      cells: made.get(FillCells),
      editor: made.get(RowsEditor),
      others: made.get(Others),
      end: () => made.destroy(),
    };
  }

  /** Unfolds what leads to a row, in place of what was unfolded there. */
  unfold(row: GridRow, place: number, title: string, way: Leading, count: number): void {
    if (!row.key) return;
    const parts = this.parts();
    const lines = Math.min(MOST, Math.max(FEWEST, count + 1)) + AROUND;
    const unfolding = { parent: row.key, title, way, lines, at: place, parts };
    this.all.update((all) => [...all, unfolding]);
  }

  /** Folds what is unfolded; false where something waits in it, which would be lost. */
  fold(unfolding: Unfolding): boolean {
    if (this.waitsIn(unfolding)) return false;
    this.drop(unfolding);
    return true;
  }

  /** Folds what is unfolded, and sets aside what waits in it. */
  drop(unfolding: Unfolding): void {
    this.all.update((all) => all.filter(({ parts }) => parts !== unfolding.parts));
    unfolding.parts.end();
  }

  /** Folds all, whatever waits: another table is shown. */
  clear(): void {
    for (const { parts } of this.all()) parts.end();
    this.all.set([]);
  }

  /** All rows may stand elsewhere from now on. */
  lose(): void {
    if (this.all().length > 0) this.all.update((all) => all.map((unfolding) => ({ ...unfolding, at: null })));
  }

  /** Takes note of where rows stand, the first of these at a place; true where something unfolded has moved by it. */
  place(rows: readonly GridRow[], start: number): boolean {
    const places = new Map(rows.map(({ key }, i) => [rowId(key), start + i]));
    let moved = false;
    const next = this.all().map((unfolding) => {
      const found = places.get(rowId(unfolding.parent));
      const isGone = unfolding.at !== null && unfolding.at >= start && unfolding.at < start + rows.length;
      const at = found ?? (isGone ? null : unfolding.at);
      moved ||= at !== unfolding.at;
      return at === unfolding.at ? unfolding : { ...unfolding, at };
    });
    if (moved) this.all.set(next);
    return moved;
  }
}
