import { computed, inject, Injectable, signal } from '@angular/core';
import { emptyDesign, localeOf } from '@heathridge/core/design';
import { showValue, type Reading } from '@heathridge/core/values';
import { Api, type DeskInfo } from '../shared/api.service';
import { Attachments } from '../shared/attachments.service';
import { problemOf } from '../shared/problem';

/** The open file as the Desk knows it. */
@Injectable()
export class DeskStore {
  private readonly api = inject(Api);
  private readonly attachments = inject(Attachments);
  readonly info = signal<DeskInfo | null>(null);
  readonly failed = signal('');
  file = '';

  readonly reading = computed((): Reading => {
    const info = this.info();
    return { locale: localeOf(info?.settings ?? emptyDesign().settings), today: info?.today ?? '2000-01-01' };
  });

  /** The screen on which rows of a table are opened one by one; null where there is none for whoever looks. */
  recordScreenOf(table: string): DeskInfo['screens'][number] | null {
    return this.info()?.screens.find(({ shows, table: id }) => shows === 'record' && id === table) ?? null;
  }

  /** A moment in UTC as people here write it, to the minute. */
  moment(at: string): string {
    return showValue({ kind: 'dateTime' }, `${at.slice(0, 16)}:00Z`, this.reading().locale);
  }

  open(file: string): void {
    this.file = file;
    this.attachments.file = file;
    this.failed.set('');
    this.api.desk(file).subscribe({
      next: (info) => this.info.set(info),
      error: (error: unknown) => this.failed.set(problemOf(error).detail),
    });
  }
}
