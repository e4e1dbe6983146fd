import { Component, computed, inject, input, signal } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatChipsModule } from '@angular/material/chips';
import { MatIconModule } from '@angular/material/icon';
import { MatTooltipModule } from '@angular/material/tooltip';
import { fieldOf, KIND_LABELS, tableOf, type FieldType } from '@heathridge/core/design';
import {
  addableField,
  canBeChoice,
  COLUMN_KINDS,
  fitting,
  giveType,
  isBringable,
  leaveOut,
  nameField,
  readColumn,
  sendInto,
  takeIn,
  takes,
  typeAs,
  type BroughtColumn,
  type ColumnKind,
  type SheetColumn,
} from '@heathridge/core/sheet';
import { FileStore } from '../file/file.store';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';
import { BringStore } from './bring.store';

const NOWHERE = 'nowhere';
const LOOKUP = 'lookup ';
/** Values that could not be read which are shown at first. */
const MOST_SHOWN = 6;

/** One column of a sheet: what stands in it, where it goes, as what, and what cannot be read. */
@Component({
  selector: 'hr-brought-column',
  imports: [
    LineComponent,
    MatButton,
    MatChipsModule,
    MatIconButton,
    MatIconModule,
    MatTooltipModule,
    SelectComponent,
  ],
  template: `
    <div role="cell" class="what">
      <strong class="cut" dir="auto">{{ column().heading }}</strong>
      <span class="soft small cut" dir="auto">{{ samples() }}</span>
    </div>
    <div role="cell" class="target">
      @if (isNew()) {
        @if (field(); as own) {
          <hr-line
            [about]="'Field for ' + column().heading"
            needed="A field needs a name."
            [value]="own.label"
            (changed)="rename($event)"
          />
          @if (!isKey()) {
            <button
              matIconButton
              class="compact"
              type="button"
              matTooltip="Leave this column out"
              [attr.aria-label]="'Leave ' + column().heading + ' out'"
              (click)="out()"
            >
              <mat-icon svgIcon="close" />
            </button>
          }
        } @else {
          <button matButton="text" class="compact" type="button" (click)="back()">
            <mat-icon svgIcon="add" />Take it in
          </button>
        }
      } @else {
        <hr-select
          compact
          [about]="'Field for ' + column().heading"
          [options]="fields()"
          [value]="taken()?.field ?? nowhere"
          (changed)="send($event)"
        />
      }
    </div>
    <div role="cell">
      @if (field(); as own) {
        @if (isNew() && !isNumberKey()) {
          <hr-select
            compact
            [about]="'Kind of ' + own.label"
            [options]="kinds()"
            [value]="kind()"
            (changed)="give($event)"
          />
        } @else {
          <span class="kind">{{ kindLabel() }}</span>
        }
      }
    </div>
    <div role="cell" class="found">
      @if (taken(); as how) {
        <div class="row">
          @if (unread(); as bad) {
            <span class="tag rust">{{ bad.rows.toLocaleString('en-GB') }} not taken</span>
          } @else {
            <span class="soft small">{{ said() }}</span>
          }
          @if (asksOrder()) {
            <hr-select
              compact
              [about]="'Which stands first in ' + column().heading"
              placeholder="day or month?"
              [options]="orders"
              [value]="how.dateOrder"
              (changed)="set({ dateOrder: $any($event) })"
            />
          }
          @if (asksMark()) {
            <hr-select
              compact
              [about]="'Before decimals in ' + column().heading"
              [options]="marks"
              [value]="how.decimalMark"
              (changed)="set({ decimalMark: $any($event) })"
            />
          }
          @if (unread() || way() !== 'refuse') {
            <hr-select
              compact
              [about]="'What becomes of values of ' + column().heading + ' that are not read'"
              [options]="ways()"
              [value]="way()"
              (changed)="choose($event)"
            />
          }
          @if (unread()) {
            <button
              matButton="text"
              class="compact"
              type="button"
              [attr.aria-expanded]="shown()"
              (click)="shown.set(!shown())"
            >
              {{ shown() ? 'Hide' : 'Mend' }}
            </button>
          }
        </div>
      } @else {
        <span class="soft small">Left out</span>
      }
    </div>
    @if (taken() && ((shown() && unread()) || mended().length > 0)) {
      <div role="cell" class="wide">
        @if (shown() && unread(); as bad) {
          <ul class="mend">
            @for (value of values(); track value[0]) {
              <li>
                <span class="cut" dir="auto" [title]="value[2]">{{
                  value[0] === '' ? '(empty)' : value[0]
                }}</span>
                <span class="soft small">{{ value[1].toLocaleString('en-GB') }} ×, read as</span>
                <span class="as">
                  <hr-line
                    [about]="'Read ' + value[0] + ' as'"
                    placeholder="as it stands"
                    [value]="''"
                    (changed)="mend(value[0], $event)"
                  />
                  @if (value[3]; as likely) {
                    <button
                      matButton="outlined"
                      class="compact"
                      type="button"
                      (click)="mend(value[0], likely)"
                    >
                      {{ likely }}
                    </button>
                  }
                </span>
              </li>
            }
          </ul>
          @if (suggested().length > 1) {
            <button matButton="outlined" class="compact" type="button" (click)="mendAll()">
              Read {{ suggested().length }} as what is most like them
            </button>
          }
          @if (bad.values.length > values().length) {
            <button matButton="text" class="compact" type="button" (click)="all.set(true)">
              Show all {{ bad.values.length }}
            </button>
          }
        }
        @if (mended().length > 0) {
          <mat-chip-set [attr.aria-label]="'What of ' + column().heading + ' is read otherwise'">
            @for (one of mended(); track one[0]) {
              <mat-chip (removed)="unmend(one[0])">
                {{ one[0] || '(empty)' }} → {{ one[1] }}
                <button matChipRemove type="button" [attr.aria-label]="'Read ' + one[0] + ' as it stands'">
                  <mat-icon svgIcon="close" />
                </button>
              </mat-chip>
            }
          </mat-chip-set>
        }
      </div>
    }
  `,
  styles: `
    .what {
      display: grid;
      min-width: 0;
    }
    .target {
      display: flex;
      align-items: center;
      gap: 2px;
      min-width: 0;
    }
    .target hr-line,
    .target hr-select {
      flex: 1;
      min-width: 0;
    }
    .kind {
      display: block;
      padding-top: 5px;
    }
    .found .row {
      flex-wrap: wrap;
      min-height: 30px;
      gap: 4px 8px;
    }
    .found hr-select {
      width: 150px;
    }
    .wide {
      grid-column: 1 / -1;
      padding-bottom: 6px;
    }
    .mend {
      display: grid;
      gap: 4px;
      margin: 4px 0;
      padding: 0;
      list-style: none;
    }
    .as {
      display: flex;
      flex-wrap: wrap;
      gap: 4px;
    }
    .as hr-line {
      flex: 1 1 110px;
    }
    .mend li {
      display: grid;
      grid-template-columns: minmax(0, 3fr) 110px minmax(0, 6fr);
      align-items: center;
      gap: 8px;
    }
  `,
})
export class BroughtColumnComponent {
  protected readonly bring = inject(BringStore);
  private readonly store = inject(FileStore);
  readonly place = input.required<number>();
  readonly column = input.required<SheetColumn>();

  readonly nowhere = NOWHERE;
  readonly shown = signal(false);
  readonly all = signal(false);
  readonly orders: readonly Option[] = options([
    ['dmy', 'day first'],
    ['mdy', 'month first'],
    ['ymd', 'year first'],
  ]);
  readonly marks: readonly Option[] = options([
    ['.', 'a point: 1,234.5'],
    [',', 'a comma: 1.234,5'],
  ]);

  readonly samples = computed(() =>
    this.column()
      .facts.common.slice(0, 6)
      .map(([text]) => text.trim().replace(/\s+/g, ' '))
      .join(' · '),
  );
  readonly plan = computed(() => this.bring.plan()!);
  readonly isNew = computed(() => this.plan().into.table === 'new');
  readonly taken = computed(() => takes(this.plan(), this.place()));
  readonly field = computed(() => {
    const [table, taken] = [this.bring.table(), this.taken()];
    return table && taken ? (fieldOf(table, taken.field) ?? null) : null;
  });
  readonly isKey = computed(() => this.bring.table()?.key.includes(this.field()?.id ?? '') ?? false);
  readonly isNumberKey = computed(() => this.isKey() && this.field()?.type.kind === 'runningNumber');
  readonly told = computed(() => {
    const [taken, told] = [this.taken(), this.bring.told()[this.place()]!];
    return taken ? { ...told, decimalMark: taken.decimalMark, dateOrder: taken.dateOrder } : told;
  });
  readonly fields = computed((): Option[] => [
    { id: NOWHERE, label: 'nowhere' },
    ...(this.bring.table()?.fields ?? []).filter(isBringable).map(({ id, label }) => ({ id, label })),
  ]);
  readonly kinds = computed((): Option[] => {
    const column = this.column();
    const own = COLUMN_KINDS.filter(
      (kind) => kind !== 'choice' || canBeChoice(column) || this.kind() === 'choice',
    ).map((id) => ({ id: id as string, label: KIND_LABELS[id] }));
    const tables = this.store.design().tables.filter(({ key }) => key.length === 1);
    const lookups = tables.map(({ id, label }) => {
      const found = column.lookups.find(({ table }) => table === id);
      return {
        id: LOOKUP + id,
        label: found ? `${label} (${found.found} of ${found.of} rows)` : label,
        group: 'A row of another table',
      };
    });
    return [...own, ...lookups];
  });
  readonly kind = computed(() => {
    const type = this.field()?.type;
    return type?.kind === 'lookup' ? LOOKUP + type.table : (type?.kind ?? '');
  });
  readonly kindLabel = computed(() => {
    const type = this.field()?.type;
    if (!type) return '';
    return type.kind === 'lookup'
      ? `${tableOf(this.store.design(), type.table).label}, by its name`
      : KIND_LABELS[type.kind];
  });
  readonly asksOrder = computed(() => {
    const kind = this.field()?.type.kind;
    const { dates } = this.column().facts;
    return (kind === 'date' || kind === 'dateTime') && (dates.dmy !== dates.mdy || dates.either > 0);
  });
  readonly asksMark = computed(() => {
    const kind = this.field()?.type.kind;
    const { numbers } = this.column().facts;
    return (
      (kind === 'wholeNumber' || kind === 'decimal' || kind === 'money') &&
      (numbers.either > 0 || numbers.onlyComma > 0)
    );
  });
  readonly unread = computed(
    () => this.bring.checked()?.unread.find(({ column }) => column === this.place()) ?? null,
  );
  readonly values = computed(() => {
    const values = this.unread()?.values ?? [];
    return this.all() ? values : values.slice(0, MOST_SHOWN);
  });
  readonly suggested = computed(() =>
    (this.unread()?.values ?? []).filter(([, , , likely]) => likely !== null),
  );
  readonly mended = computed(() => Object.entries(this.taken()?.instead ?? {}));
  readonly said = computed(() => {
    const { facts } = this.column();
    const parts = [`${facts.filled.toLocaleString('en-GB')} filled`];
    if (facts.empty > 0) parts.push(`${facts.empty.toLocaleString('en-GB')} empty`);
    if (!facts.more && facts.distinct < facts.filled)
      parts.push(`${facts.distinct.toLocaleString('en-GB')} different`);
    const kind = this.field()?.type.kind;
    const isText = kind === 'text' || kind === 'choice' || kind === 'lookup';
    if (isText && facts.padded > 0)
      parts.push(`${facts.padded.toLocaleString('en-GB')} lose blanks at their ends`);
    const type = this.field()?.type;
    const fits =
      type && kind !== 'lookup'
        ? fitting(type.kind, this.column(), this.told(), placesOf(type))
        : facts.filled;
    if (!this.bring.checked() && fits < facts.filled && kind !== 'choice')
      parts.push(`${(facts.filled - fits).toLocaleString('en-GB')} cannot be read`);
    return parts.join(', ');
  });
  readonly ways = computed((): Option[] => {
    const field = this.field();
    const addable = field ? addableField(this.store.design(), field) : null;
    return options([
      ['refuse', 'rows stay out'],
      ['empty', 'left empty'],
      ...(addable ? ([['add', 'are added there']] as const) : []),
    ]);
  });
  readonly way = computed(() => {
    const taken = this.taken();
    return this.field()?.type.kind === 'lookup' ? (taken?.missing ?? 'refuse') : (taken?.unread ?? 'refuse');
  });

  set(change: Partial<Omit<BroughtColumn, 'column' | 'field'>>): void {
    this.bring.change(readColumn(this.plan(), this.place(), change));
  }

  choose(way: string): void {
    const isLookup = this.field()?.type.kind === 'lookup';
    this.set(isLookup ? { missing: way as 'refuse' } : { unread: way as 'refuse' });
  }

  send(field: string): void {
    const to = field === NOWHERE ? null : field;
    this.bring.change(sendInto(this.plan(), this.place(), to, this.bring.told()[this.place()]!));
  }

  give(kind: string): void {
    const own = this.field();
    if (!own) return;
    const type: FieldType = kind.startsWith(LOOKUP)
      ? { kind: 'lookup', table: kind.slice(LOOKUP.length), shows: null, onDelete: 'refuse' }
      : typeAs(kind as ColumnKind, this.column(), this.told(), this.store.design());
    this.bring.change(giveType(this.plan(), own.id, type));
  }

  rename(label: string): void {
    const own = this.field();
    if (own) this.bring.change(nameField(this.plan(), own.id, label));
  }

  out(): void {
    this.bring.change(leaveOut(this.plan(), this.place()));
  }

  back(): void {
    const proposed = this.bring.proposed();
    if (proposed) this.bring.change(takeIn(this.plan(), this.place(), proposed));
  }

  mend(text: string, as: string): void {
    if (as.trim() === '') return;
    this.set({ instead: { ...this.taken()?.instead, [text]: as.trim() } });
  }

  /** Takes for every value what is most like it: each is listed, and can be taken back. */
  mendAll(): void {
    const likely = Object.fromEntries(this.suggested().map(([text, , , other]) => [text, other!]));
    this.set({ instead: { ...this.taken()?.instead, ...likely } });
  }

  unmend(text: string): void {
    const { [text]: _, ...rest } = this.taken()?.instead ?? {};
    this.set({ instead: rest });
  }
}

const placesOf = (type: FieldType): number =>
  type.kind === 'decimal' || type.kind === 'money' ? type.places : 0;
