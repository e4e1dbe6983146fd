import { inject, Injectable } from '@angular/core';
import { Router } from '@angular/router';
import { firstValueFrom } from 'rxjs';
import { fieldOf, type ButtonAct, type FormButton, type Table } from '@heathridge/core/design';
import type { RowKey } from '@heathridge/core/rows';
import { Api, type ScreenInfo } from '../shared/api.service';
import { LazyDialogs } from '../shared/lazy-dialogs.service';
import { Toast } from '../shared/toast.service';
import { DeskStore } from './desk.store';
import type { PreparedChangeDialog, PreparedData } from './prepared-change.dialog';
import type { Press } from './sheet.service';

/** A button that is pressed for a row which is in the file. */
interface Pressed extends Pick<Press, 'button' | 'row' | 'path'> {
  readonly key: RowKey;
}

/** What a button has changed, to be said and taken back. */
export interface Changed {
  readonly text: string;
  readonly entry: number;
}

type Open = Extract<ButtonAct, { readonly act: 'open' }>;

/** Does what buttons on forms say. */
@Injectable()
export class Buttons {
  private readonly api = inject(Api);
  private readonly desk = inject(DeskStore);
  private readonly dialogs = inject(LazyDialogs);
  private readonly router = inject(Router);
  private readonly toast = inject(Toast);

  /**
   * Does what a button says, and gives what has changed; null where nothing has. Fails with what the server says. A
   * record that is printed as it stands is the page's own to print.
   */
  async press(info: ScreenInfo, pressed: Pressed): Promise<Changed | null> {
    const { does } = pressed.button;
    if (does.act === 'print')
      window.open(this.api.buttonPdf(this.desk.file, info.form.id, pressed), '_blank', 'noopener');
    else if (does.act === 'open') await this.open(pressed, does);
    else return this.change(info, pressed);
    return null;
  }

  /** Opens another screen: on the row itself, on the one a lookup of it leads to, or on what leads to it. */
  private async open({ button, row, key }: Pressed, { screen: id, link }: Open): Promise<void> {
    const screen = this.desk.info()?.screens.find((other) => other.id === id);
    if (!screen) return this.toast.say(`What ${button.label} opens is no longer there.`);
    const to = ['/desk', this.desk.file, screen.shows === 'record' ? 'screen' : 'list', id];
    const own = link === null ? undefined : fieldOf(row.table, link);
    if (link !== null && !own) {
      const queryParams = { [screen.shows === 'record' ? 'new' : 'of']: JSON.stringify({ [link]: key[0] }) };
      await this.router.navigate(to, { queryParams });
      return;
    }
    const value = own ? row.held[own.id]?.value : undefined;
    const wanted = own ? (value == null ? null : [value]) : key;
    if (wanted === null) return this.toast.say(`${own!.label} is empty: there is nothing to open.`);
    await this.router.navigate(to, { queryParams: { key: JSON.stringify(wanted) } });
  }

  /** What changes other rows than the one that is looked at is shown row by row before it is done. */
  private async change({ form, tables, settings }: ScreenInfo, pressed: Pressed): Promise<Changed | null> {
    const { button } = pressed;
    const [file, screen] = [this.desk.file, form.id];
    const found = await firstValueFrom(this.api.previewButton(file, screen, pressed));
    if (found.total === 0) {
      this.toast.say(`${button.label}: there is nothing to change.`);
      return null;
    }
    const table = tables.find(({ id }) => id === found.table);
    if (button.does.act === 'change' && button.does.rows !== 'this' && table) {
      const data: PreparedData = { button, found, table, settings };
      const sure = await firstValueFrom(
        this.dialogs.open<PreparedChangeDialog, PreparedData, boolean>(
          () => import('./prepared-change.dialog').then((m) => m.PreparedChangeDialog),
          { data, width: '680px' },
        ),
        { defaultValue: false },
      );
      if (!sure) return null;
    }
    const { entry } = await firstValueFrom(this.api.runButton(file, screen, pressed, found.mark));
    return { text: doneWords(button, found.total, table), entry };
  }
}

/** `Back today: 1 hire changed.` */
function doneWords({ label }: FormButton, count: number, table: Table | undefined): string {
  const rows = count === 1 ? (table?.label ?? 'row') : (table?.plural ?? 'rows');
  return `${label}: ${count.toLocaleString('en-GB')} ${rows.toLowerCase()} changed.`;
}
