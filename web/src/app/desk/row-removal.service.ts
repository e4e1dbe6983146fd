import { inject, Injectable } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { firstValueFrom } from 'rxjs';
import { showKey, type Table } from '@heathridge/core/design';
import type { RowChange, RowKey } from '@heathridge/core/rows';
import { DeskStore } from './desk.store';
import { Api } from '../shared/api.service';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { deletion } from '../shared/deleting';

/** Deletes rows that stand in a list, once somebody who has been told what goes along wants it. */
@Injectable()
export class RowRemoval {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  private readonly dialog = inject(MatDialog);

  /**
   * Asks, and deletes: gives the entry by which that is taken back, null where the row stays. `named` gives the save
   * its name. Throws what the server answers.
   */
  async remove(
    screen: string,
    table: Table,
    key: RowKey,
    named: (changes: readonly RowChange[]) => string,
  ): Promise<number | null> {
    const { file } = this.desk;
    const { along } = await firstValueFrom(this.api.recordAlong(file, screen, key, table.id));
    const name = `${table.label.toLowerCase()} ${showKey(table, key, this.desk.reading().locale)}`;
    const asked = this.dialog.open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, {
      data: deletion(name, true, along),
    });
    if (!(await firstValueFrom(asked.afterClosed()))) return null;
    const changes = [{ op: 'delete' as const, table: table.id, key }];
    const request = { id: named(changes), changes };
    return (await firstValueFrom(this.api.saveRecord(file, screen, request))).entry;
  }
}
