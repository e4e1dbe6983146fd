import { Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { catchError, EMPTY, Subject } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatTableModule } from '@angular/material/table';
import { conversion, type Convert } from '@heathridge/core/change';
import { isChoiceText, KIND_LABELS, type Field, type Table } from '@heathridge/core/design';
import { FileStore } from '../file/file.store';
import { Api, type Preview } from '../shared/api.service';
import { paused } from '../shared/paused';
import { problemOf } from '../shared/problem';
import { DraftStore } from './draft.store';
import { LineComponent } from '../shared/line.component';
import { SelectComponent } from '../shared/select.component';
import { DATE_ORDERS } from './date-orders';

const SHOWN = 8;

/** What the values a field holds become as its new kind, before anything happens. */
@Component({
  selector: 'hr-conversion',
  imports: [MatTableModule, SelectComponent, MatButton, MatCheckboxModule, LineComponent],
  template: `
    @if (needed()) {
      <section class="box" aria-label="What its values become">
        <h3>From {{ from() }} to {{ to() }}</h3>
        @if (problem()) {
          <p class="message" role="alert">{{ problem() }}</p>
        } @else if (preview(); as result) {
          @if (result.values === 0) {
            <p class="soft">It holds no values yet.</p>
          } @else {
            <p role="status">
              {{ number(result.values) }} different {{ result.values === 1 ? 'value' : 'values' }} in
              {{ number(result.rows) }} {{ result.rows === 1 ? 'row' : 'rows' }}:
              @if (result.failing > 0) {
                <strong class="bad"
                  >{{ number(result.failing) }} {{ result.failing === 1 ? 'row' : 'rows' }} cannot be
                  read.</strong
                >
              } @else {
                all of them can be read.
              }
            </p>
            @if (isDate()) {
              <div class="row">
                <span class="label" id="c-order-label">Dates of three numbers are read</span>
                <hr-select
                  class="narrow"
                  compact
                  about="Dates of three numbers are read"
                  inputId="c-order"
                  [options]="orders"
                  [value]="order()"
                  (changed)="set({ dateOrder: $event })"
                />
                @if (result.ambiguous > 0) {
                  <span class="gorse small"
                    >{{ number(result.ambiguous) }}
                    {{ result.ambiguous === 1 ? 'value is a date' : 'values are dates' }} either way</span
                  >
                }
              </div>
            }
            @if (found().length > 0) {
              <button matButton="outlined" class="compact" type="button" (click)="choicesFound.emit(found())">
                Make the {{ found().length === 1 ? 'value' : number(found().length) + ' values' }} found its
                {{ found().length === 1 ? 'choice' : 'choices' }}
              </button>
            }
            <table mat-table class="facts" [dataSource]="shown()" [trackBy]="byValue">
              <ng-container matColumnDef="now">
                <th *matHeaderCellDef mat-header-cell scope="col">Now</th>
                <td *matCellDef="let item" mat-cell class="cut" dir="auto">{{ item.was }}</td>
              </ng-container>
              <ng-container matColumnDef="becomes">
                <th *matHeaderCellDef mat-header-cell scope="col">Becomes</th>
                <td *matCellDef="let item" mat-cell class="cut" dir="auto">
                  @if (item.message !== null) {
                    <hr-line
                      placeholder="read it as …"
                      [about]="'Read ' + item.was + ' as'"
                      [problem]="item.message"
                      [value]="convert().instead?.[item.was] ?? ''"
                      (changed)="read(item.was, $event)"
                    />
                  } @else {
                    {{ item.becomes }}
                  }
                </td>
              </ng-container>
              <ng-container matColumnDef="rows">
                <th *matHeaderCellDef mat-header-cell scope="col" class="number">Rows</th>
                <td *matCellDef="let item" mat-cell class="number">{{ number(item.rows) }}</td>
              </ng-container>
              <tr *matHeaderRowDef="columns" mat-header-row></tr>
              <tr *matRowDef="let item; columns: columns" mat-row></tr>
            </table>
            @if (result.list.length > limit()) {
              <button matButton="text" class="words" type="button" (click)="limit.set(200)">
                Show {{ number(result.list.length - limit()) }} more
              </button>
            }
            @if (result.failing > 0 || convert().otherwise === 'empty') {
              <mat-checkbox
                [checked]="convert().otherwise === 'empty'"
                (change)="set({ otherwise: $event.checked ? 'empty' : 'stop' })"
                >Leave the field empty where a value cannot be read</mat-checkbox
              >
            }
          }
        } @else {
          <p class="soft">Reading the values …</p>
        }
      </section>
    }
  `,
  styles: `
    .box {
      display: grid;
      gap: 8px;
      padding: 10px 12px;
      background: var(--hr-gorse-tint);
      border: 1px solid var(--hr-gorse-line);
      border-radius: 6px;
    }
    table {
      table-layout: fixed;
      font-size: var(--hr-text-note);
    }
    th.number,
    td.number {
      width: 64px;
      text-align: right;
    }
    .box > [matButton] {
      justify-self: start;
    }
    .narrow {
      width: auto;
    }
    .gorse {
      color: var(--hr-gorse-deep);
    }
  `,
})
export class ConversionComponent {
  readonly orders = DATE_ORDERS;
  readonly columns = ['now', 'becomes', 'rows'];
  readonly byValue = (_: number, { old }: Preview['list'][number]): unknown => old;
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly draft = inject(DraftStore);
  readonly table = input.required<Table>();
  readonly field = input.required<Field>();
  readonly changed = output<Convert>();
  /** Values of the field that are to be the choices it offers from now on. */
  readonly choicesFound = output<readonly string[]>();

  readonly preview = signal<Preview | null>(null);
  readonly problem = signal('');
  readonly limit = signal(SHOWN);
  private readonly asking = new Subject<void>();

  readonly was = computed(() =>
    this.store
      .design()
      .tables.find(({ id }) => id === this.table().id)
      ?.fields.find(({ id }) => id === this.field().id),
  );
  readonly convert = computed((): Convert => {
    const change = this.draft
      .changes()
      .find((item) => item.change === 'changeField' && item.field === this.field().id);
    return change?.change === 'changeField' ? (change.convert ?? {}) : {};
  });
  readonly needed = computed(() => {
    const was = this.was();
    if (!was) return false;
    const how = conversion(this.store.design(), was, this.draft.design(), this.field(), this.convert());
    return how === 'map' || how === 'scale' || how === 'frozen';
  });
  readonly from = computed(() => KIND_LABELS[this.was()?.type.kind ?? 'text'].toLowerCase());
  readonly to = computed(() => KIND_LABELS[this.field().type.kind].toLowerCase());
  readonly isDate = computed(() => {
    const kind = this.was()?.type.kind;
    const wanted = this.field().type.kind;
    return (kind === 'text' || kind === 'longText') && (wanted === 'date' || wanted === 'dateTime');
  });
  readonly order = computed(() => this.convert().dateOrder ?? this.store.design().settings.dateOrder);
  /**
   * The values that are no choice yet and could be one, in the order of the alphabet; none when they are too
   * many.
   */
  readonly found = computed((): readonly string[] => {
    const result = this.preview();
    if (this.field().type.kind !== 'choice' || !result || result.values > result.list.length) return [];
    const texts = result.list
      .filter(({ message }) => message !== null)
      .map(({ was }) => was.trim())
      .filter(isChoiceText);
    return [...new Set(texts)].sort((a, b) => a.localeCompare(b));
  });
  readonly shown = computed(() => this.preview()?.list.slice(0, this.limit()) ?? []);

  constructor() {
    this.asking
      .pipe(
        paused(250, () =>
          this.api.preview(this.store.file, this.draft.draft(), this.table().id, this.field().id).pipe(
            catchError((error: unknown) => {
              this.problem.set(problemOf(error).detail);
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe((preview) => {
        this.problem.set('');
        this.preview.set(preview);
      });
    effect(() => {
      const needed = this.needed();
      this.field();
      this.convert();
      untracked(() => needed && this.asking.next());
    });
  }

  number(value: number): string {
    return value.toLocaleString('en-GB');
  }

  set(part: Partial<Convert>): void {
    this.changed.emit({ ...this.convert(), ...part });
  }

  /** Reads a text in place of one that cannot be read. */
  read(was: string, text: string): void {
    const { [was]: _, ...others } = this.convert().instead ?? {};
    this.set({ instead: text.trim() === '' ? others : { ...others, [was]: text.trim() } });
  }
}
