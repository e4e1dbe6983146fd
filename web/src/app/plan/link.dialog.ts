import { Component, computed, inject, signal } from '@angular/core';
import { takeUntilDestroyed, toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatRadioModule } from '@angular/material/radio';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { catchError, EMPTY, filter, map, merge, switchMap, tap } from 'rxjs';
import type { Change } from '@heathridge/core/change';
import {
  fieldOf,
  Label,
  nameFromLabel,
  plainField,
  plainTable,
  oneOf,
  typeOf,
  uniqueName,
  type Design,
  type Field,
  type FieldType,
  type Table,
} from '@heathridge/core/design';
import { linkCandidates, type LinkOffer } from '@heathridge/core/plan';
import { Api } from '../shared/api.service';
import { newId } from '../shared/ids';
import { newLink } from './link-changes';
import { bySchema } from '../shared/by-schema';
import { LineComponent } from '../shared/line.component';
import { options, SelectComponent, type Option } from '../shared/select.component';

export interface Linking {
  readonly design: Design;
  readonly file: string;
  /** The table at which the link begins, and where it was dragged to; null when that is still to be chosen. */
  readonly from: string;
  readonly to: string | null;
}

type Sort = 'many' | 'one' | 'both';
interface Fitting {
  readonly field: Field;
  /** What its rows say; null while they have not, or speak against it. */
  readonly offer: LinkOffer | null;
}

type OnDelete = 'refuse' | 'deleteAlong' | 'leaveEmpty';

const ON_DELETE = options<OnDelete>([
  ['refuse', 'refuse, while rows need it'],
  ['deleteAlong', 'delete what belongs to it along'],
  ['leaveEmpty', 'leave the field empty'],
]);

/** Links two tables: each row of one belongs to a row of the other, or many to many by a table between. */
@Component({
  selector: 'hr-link-dialog',
  imports: [
    MatButton,
    MatCheckboxModule,
    ReactiveFormsModule,
    SelectComponent,
    MatDialogModule,
    LineComponent,
    MatRadioModule,
  ],
  template: `
    <h2 mat-dialog-title>Link two tables</h2>
    <form [formGroup]="form" (ngSubmit)="done()">
      <mat-dialog-content class="body">
        <div class="two">
          <hr-select label="From" inputId="lk-from" [options]="data.design.tables" formControlName="from" />
          <hr-select
            label="To"
            inputId="lk-to"
            placeholder="choose a table …"
            [options]="data.design.tables"
            formControlName="to"
          />
        </div>
        @if (to() === '') {
          <p class="soft">A table can be linked to itself too: a member to the member who brought her in.</p>
          <p class="message" role="alert">{{ missing() }}</p>
        } @else {
          <mat-radio-group class="sorts" aria-label="Sort of link" formControlName="sort">
            <mat-radio-button value="many"
              >Each {{ one(a()) }} belongs to one {{ one(b())
              }}<span class="soft small"
                >{{ oneOf(b().label) }} can have any number of {{ a().plural.toLowerCase() }}</span
              ></mat-radio-button
            >
            <mat-radio-button value="one"
              >One to one<span class="soft small"
                >{{ oneOf(b().label) }} has at most one {{ one(a()) }}</span
              ></mat-radio-button
            >
            <mat-radio-button value="both" [disabled]="!single(a()) || !single(b())"
              >Many to many<span class="soft small"
                >with a table between, told by the two together</span
              ></mat-radio-button
            >
          </mat-radio-group>
          @if (sort() === 'both') {
            <hr-line
              label="One row of the table between is a"
              inputId="lk-between"
              formControlName="between"
            />
          } @else if (single(b())) {
            <hr-select
              label="Kept in"
              inputId="lk-field"
              [options]="fieldOptions()"
              formControlName="field"
            />
            @if (field() === '') {
              <hr-line label="Called" inputId="lk-label" formControlName="label" />
            }
          } @else {
            <p class="soft small">{{ b().label }} is told by several fields: each needs its own here.</p>
            @for (key of keyOf(b()); track key.id; let i = $index) {
              <hr-select
                [label]="key.label + ' of ' + b().label + ' is'"
                [inputId]="'lk-own-' + i"
                [options]="ownOptions(key)"
                [value]="owns()[i] ?? ''"
                (changed)="setOwn(i, $event)"
              />
            }
          }
          @if (sort() !== 'both') {
            <mat-checkbox formControlName="must">Every {{ one(a()) }} has its {{ one(b()) }}</mat-checkbox>
          }
          <hr-select
            [label]="'When ' + oneOf(b().label) + ' is deleted'"
            inputId="lk-delete"
            [options]="deleteOptions()"
            formControlName="onDelete"
          />
        }
      </mat-dialog-content>
      <mat-dialog-actions align="end">
        <button type="button" matButton="outlined" mat-dialog-close>Cancel</button>
        <button type="submit" matButton="filled">Add to the draft</button>
      </mat-dialog-actions>
    </form>
  `,
  styles: `
    .body {
      display: grid;
      gap: 12px;
      min-width: 460px;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
    }
    .sorts {
      display: grid;
      gap: 8px;
    }
    .sorts span {
      display: block;
    }
  `,
})
export class LinkDialog {
  readonly data = inject<Linking>(MAT_DIALOG_DATA);
  private readonly api = inject(Api);
  private readonly ref = inject<MatDialogRef<LinkDialog, Change[]>>(MatDialogRef);
  readonly form = new FormGroup({
    from: new FormControl(this.data.from, { nonNullable: true }),
    to: new FormControl(this.data.to ?? '', { nonNullable: true }),
    sort: new FormControl<Sort>('many', { nonNullable: true }),
    /** The field that holds the key; empty for a new one. */
    field: new FormControl('', { nonNullable: true }),
    label: new FormControl('', { nonNullable: true, validators: bySchema(Label) }),
    between: new FormControl('', { nonNullable: true, validators: bySchema(Label) }),
    must: new FormControl(false, { nonNullable: true }),
    onDelete: new FormControl<OnDelete>('refuse', { nonNullable: true }),
  });
  private readonly now = toSignal(this.form.valueChanges.pipe(map(() => this.form.getRawValue())), {
    initialValue: this.form.getRawValue(),
  });
  /** What is not there yet when the link is asked for. */
  readonly missing = signal('');
  readonly from = computed(() => this.now().from);
  readonly to = computed(() => this.now().to);
  readonly sort = computed(() => this.now().sort);
  readonly field = computed(() => this.now().field);
  private readonly must = computed(() => this.now().must);
  private readonly onDelete = computed(() => this.now().onDelete);
  /** Where the key has several fields: the field that holds each of them; empty for a new one. */
  readonly owns = signal<readonly string[]>([]);
  readonly a = computed(() => this.table(this.from()));
  readonly b = computed(() => this.table(this.to()));
  readonly fieldOptions = computed((): Option[] => [
    { id: '', label: `a new field of ${this.a().label}` },
    ...this.fitting().map((item) => ({
      id: item.field.id,
      label: `${item.field.label}, ${this.holds(item)}`,
    })),
  ]);
  readonly deleteOptions = computed((): Option<OnDelete>[] =>
    this.must() || this.sort() === 'both' ? ON_DELETE.filter(({ id }) => id !== 'leaveEmpty') : ON_DELETE,
  );
  /** What the rows say about each field that could hold the other table's key, by the field's id. */
  private readonly counted = signal<readonly LinkOffer[]>([]);
  /** Fields that could lead to the other table, those in which most rows have a partner first. */
  readonly fitting = computed((): Fitting[] => {
    const between = { child: this.a().id, parent: this.b().id };
    const share = ({ rows, matching }: LinkOffer): number => (rows === 0 ? 0 : matching / rows);
    const best = new Map<string, LinkOffer | null>();
    for (const { on, by } of linkCandidates(this.data.design, between)) {
      const own = on[0]!.own;
      const offer = this.counted().find((other) => other.by === by && other.on[0]!.own === own);
      const known = best.get(own);
      if (offer && offer.matching > 0 && (!known || share(offer) > share(known))) best.set(own, offer);
      else if (by === 'key' && !best.has(own)) best.set(own, null);
    }
    return [...best]
      .map(([id, offer]) => ({ field: fieldOf(this.a(), id)!, offer }))
      .sort((x, y) => (y.offer ? share(y.offer) : 0) - (x.offer ? share(x.offer) : 0));
  });

  constructor() {
    toObservable(computed(() => ({ child: this.from(), parent: this.to() })))
      .pipe(
        tap(() => {
          this.counted.set([]);
          this.owns.set([]);
          this.form.controls.field.setValue('');
          this.name();
        }),
        filter(({ parent }) => parent !== ''),
        switchMap((between) =>
          // Without the counts the dialog does all it does, so a failure is no reason to stop anybody.
          this.api.linkOffers(this.data.file, { between }).pipe(catchError(() => EMPTY)),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ offers }) => this.counted.set(offers));
    const { must, sort, onDelete } = this.form.controls;
    // What must be there cannot be left empty.
    merge(must.valueChanges, sort.valueChanges)
      .pipe(takeUntilDestroyed())
      .subscribe(() => {
        const fits = !must.value && sort.value !== 'both';
        if (!fits && onDelete.value === 'leaveEmpty') onDelete.setValue('refuse');
      });
  }

  /** Names that nobody has written yet go with the tables. */
  private name(): void {
    const { label, between } = this.form.controls;
    const [a, b] = [this.a(), this.b()];
    if (!label.dirty) label.setValue(this.freeLabel(a, b.label));
    if (!between.dirty) between.setValue(`${a.label} ${b.label.toLowerCase()}`);
  }

  /** What the rows say about a field, as a phrase. */
  holds({ offer }: Fitting): string {
    if (!offer) return 'which could hold its keys';
    const percent = Math.floor((offer.matching / offer.rows) * 1000) / 10;
    const what = offer.by === 'key' ? 'hold its keys' : 'hold its names';
    return `${percent.toLocaleString('en-GB')} % of whose rows ${what}`;
  }

  readonly oneOf = oneOf;

  one(table: Table): string {
    return table.label.toLowerCase();
  }

  single(table: Table): boolean {
    return table.key.length === 1;
  }

  keyOf(table: Table): Field[] {
    return table.key.flatMap((id) => fieldOf(table, id) ?? []);
  }

  /** Fields of this table that could hold the key: of its kind, and no links yet. */
  fittingFor(key: Field): Field[] {
    const wanted = typeOf(this.data.design, key.type);
    return this.a().fields.filter(({ id, type }) => {
      if (this.a().id === this.b().id && id === key.id) return false;
      if (['workedOut', 'stamp', 'runningNumber', 'picture', 'file', 'tick'].includes(type.kind))
        return false;
      const own = typeOf(this.data.design, type);
      return (
        own.type === wanted.type &&
        (own.type !== 'number' || wanted.type !== 'number' || own.scale === wanted.scale)
      );
    });
  }

  setOwn(index: number, id: string): void {
    const next = [...this.owns()];
    next[index] = id;
    this.owns.set(next);
  }

  ownOptions(key: Field): Option[] {
    return [{ id: '', label: `a new field of ${this.a().label}` }, ...this.fittingFor(key)];
  }

  done(): void {
    if (this.to() === '') {
      this.missing.set('Choose the table that it leads to.');
      return;
    }
    const { label, between } = this.form.controls;
    const asked =
      this.sort() === 'both' ? between : this.single(this.b()) && this.field() === '' ? label : null;
    asked?.markAsTouched();
    if (asked?.invalid) return;
    this.ref.close(
      this.sort() === 'both' ? this.manyToMany() : this.single(this.b()) ? this.lookup() : this.several(),
    );
  }

  private table(id: string): Table {
    return this.data.design.tables.find((table) => table.id === id) ?? this.data.design.tables[0]!;
  }

  private freeLabel(table: Table, label: string): string {
    return uniqueName(
      label,
      table.fields.map((field) => field.label),
    ).replace('_', ' ');
  }

  private made(
    table: Table,
    label: string,
    type: FieldType,
    taken: string[],
    rest: Partial<Field> = {},
  ): Field {
    const name = uniqueName(nameFromLabel(label, 'field'), [
      ...table.fields.map((field) => field.name),
      ...taken,
    ]);
    taken.push(name);
    return { ...plainField(newId('f'), name, label, type), ...rest };
  }

  private lookup(): Change[] {
    const type: FieldType = { kind: 'lookup', table: this.b().id, shows: null, onDelete: this.onDelete() };
    const rest = { alwaysFilled: this.must(), noTwoAlike: this.sort() === 'one' };
    if (this.field() !== '')
      return [
        {
          change: 'changeField',
          table: this.a().id,
          field: this.field(),
          set: { type, ...rest },
        },
      ];
    return [
      {
        change: 'addField',
        table: this.a().id,
        field: this.made(this.a(), this.form.controls.label.value.trim(), type, [], rest),
      },
    ];
  }

  private several(): Change[] {
    const taken: string[] = [];
    const added: Field[] = [];
    const on = this.keyOf(this.b()).map((key, i) => {
      const own = this.owns()[i];
      if (own) return { own, other: key.id };
      const type: FieldType = key.type.kind === 'runningNumber' ? { kind: 'wholeNumber' } : key.type;
      const field = this.made(this.a(), `${this.b().label} ${key.label.toLowerCase()}`, type, taken, {
        alwaysFilled: this.must(),
      });
      added.push(field);
      return { own: field.id, other: key.id };
    });
    const { id: table, fields, key, links, noTwoAlike } = this.a();
    const owns = on.map(({ own }) => own);
    const single = [key, ...noTwoAlike].some((ids) => ids.every((id) => owns.includes(id)));
    const emptied = fields.filter(
      ({ id, alwaysFilled }) => owns.includes(id) && !alwaysFilled && !key.includes(id),
    );
    return [
      ...added.map((field): Change => ({ change: 'addField', table, field })),
      ...(this.must() ? emptied : []).map(({ id }): Change => ({
        change: 'changeField',
        table,
        field: id,
        set: { alwaysFilled: true },
      })),
      {
        change: 'changeTable',
        table,
        set: {
          links: [...links, newLink(this.a(), this.b(), on, this.onDelete(), taken)],
          ...(this.sort() === 'one' && !single ? { noTwoAlike: [...noTwoAlike, owns] } : {}),
        },
      },
    ];
  }

  /** The table between: told by its two lookups together, and gone with either of the rows it joins. */
  private manyToMany(): Change[] {
    const label = this.form.controls.between.value.trim();
    const taken: string[] = [];
    const empty = plainTable('', '', '', '', [plainField('', '', '', { kind: 'text' })]);
    const side = (table: Table): Field =>
      this.made(
        { ...empty, fields: [] },
        table.label,
        { kind: 'lookup', table: table.id, shows: null, onDelete: this.onDelete() },
        taken,
        { alwaysFilled: true },
      );
    const fields = [side(this.a()), side(this.b())];
    const name = uniqueName(
      nameFromLabel(label, 'table'),
      this.data.design.tables.map((table) => table.name),
    );
    const table = plainTable(
      newId('t'),
      name,
      label,
      `${label}s`,
      fields,
      fields.map(({ id }) => id),
    );
    return [{ change: 'addTable', table }];
  }
}
