import { signal } from '@angular/core';
import type { Design, Form } from '@heathridge/core/design';
import type { RowChange, RowError, RowKey } from '@heathridge/core/rows';
import type { RecordRow } from '../shared/api.service';
import { RecordState, type RowState } from '../desk/record.state';

/** A row of a list: a record of the list's form, which is changed and checked as any record is. */
export interface ListRow {
  readonly id: string;
  readonly state: RecordState;
}

export const rowId = (key: RowKey): string => JSON.stringify(key);

/** The field by which the rows of a list that follows lead to what is picked, and its key; nothing for the first list. */
export type Link = Readonly<Record<string, string | number>>;

/** What a save of several rows sends, and which of the changes belong to which row. */
export interface Saving {
  readonly changes: RowChange[];
  readonly of: readonly {
    readonly row: ListRow;
    readonly start: number;
    readonly rows: readonly RowState[];
  }[];
}

/**
 * The rows of one list: as they were read, and as somebody has changed them. Those that were changed stay as they are
 * until they are saved or set aside, however often the others are read again.
 */
export class ListRows {
  private begun = 0;
  private readonly edited = new Map<string, ListRow>();
  /** Those that differ from the file. */
  readonly changed = signal<readonly ListRow[]>([]);

  constructor(
    private readonly design: Design,
    readonly form: Form,
    private readonly clock: () => { readonly today: string; readonly now: string },
  ) {}

  /** A row that was read, as it stands here; `begin` is told of its state before it is shown first. */
  row(read: RecordRow, begin: (row: ListRow) => void): ListRow {
    const id = rowId(read.key);
    const known = this.edited.get(id);
    if (known) return known;
    const row = { id, state: new RecordState(this.design, this.form, { record: read }, this.clock()) };
    begin(row);
    this.touched(row);
    return row;
  }

  /** A row that is not in the file; `link` is what it leads by, and where to, in a list that follows. */
  fresh(link: Link): ListRow {
    // One that waits while another is begun stays itself.
    const id = `new ${this.begun++}`;
    const given = Object.fromEntries(Object.entries(link).map(([field, value]) => [field, { value }]));
    return { id, state: new RecordState(this.design, this.form, null, this.clock(), given) };
  }

  /** To be told after a row was changed. */
  touched(row: ListRow): void {
    const { state } = row;
    const isChanged = state.isNew ? state.touched(state.record()) : state.dirty();
    if (isChanged) this.edited.set(row.id, row);
    else this.edited.delete(row.id);
    this.changed.set([...this.edited.values()]);
  }

  /** The row is as it is in the file. */
  forget(row: ListRow): void {
    this.edited.delete(row.id);
    this.changed.set([...this.edited.values()]);
  }

  /** What a save of rows sends; a new one with what it leads by, as it was when it was begun. */
  saving(rows: readonly ListRow[], by: string | undefined): Saving {
    const changes: RowChange[] = [];
    const of = rows.map((row) => {
      const own = row.state.changesToSave();
      const { held } = row.state.record();
      const link = by === undefined ? {} : { [by]: held[by]?.value ?? null };
      const start = changes.length;
      for (const change of own.changes)
        changes.push(
          change.op === 'insert'
            ? { ...change, temp: row.id.replace(' ', ''), values: { ...change.values, ...link } }
            : change,
        );
      return { row, start, rows: own.rows };
    });
    return { changes, of };
  }

  /** Puts what is wrong with a save beside the fields it is about. */
  refuse({ of }: Saving, errors: readonly RowError[]): void {
    for (const { row, start, rows } of of) {
      const own = errors.filter(({ change }) => change >= start && change < start + rows.length);
      row.state.refuse(
        own.map((error) => ({ ...error, change: error.change - start })),
        rows,
      );
    }
  }
}
