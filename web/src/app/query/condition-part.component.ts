import { Component, computed, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatRadioModule } from '@angular/material/radio';
import type { Observable } from 'rxjs';
import { toStored } from '@heathridge/core/expression';
import type { FieldPath, QueryCondition } from '@heathridge/core/design';
import { so, type Reader } from '@heathridge/core/query';
import type { Reading } from '@heathridge/core/values';
import { ConditionBuilderComponent, type Made, type ValueThere } from '../ask/condition-builder.component';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import type { Fetch } from '../value/held';
import { AsideComponent } from './aside.component';
import { PartFootComponent } from './part-foot.component';
import type { Editing } from './query.component';

/** What is changed of a condition in a sentence, or of several of which all hold, or any. */
@Component({
  selector: 'hr-condition-part',
  imports: [
    AsideComponent,
    ConditionBuilderComponent,
    ExpressionEditorComponent,
    MatButton,
    MatRadioModule,
    PartFootComponent,
  ],
  template: `
    @let item = condition();
    @if (item.is === 'so') {
      <hr-expression-editor
        label="Condition"
        [condition]="true"
        [optional]="false"
        [value]="text()"
        [catalog]="editing().catalog"
        [table]="editing().table"
        (changed)="write($event)"
      />
      @if (adds()) {
        <hr-condition-builder
          asks="or where"
          [paths]="editing().paths"
          [rows]="editing().rows"
          [reading]="reading()"
          [choices]="choices()"
          [values]="values()"
          (made)="another($event)"
        />
      }
    } @else {
      <mat-radio-group
        aria-label="How many of them hold"
        [value]="item.is"
        (change)="changed.emit({ of: item.of, off: item.off, note: item.note, is: $event.value })"
      >
        <mat-radio-button value="any">any of them holds</mat-radio-button>
        <mat-radio-button value="all">all of them hold</mat-radio-button>
      </mat-radio-group>
    }
    <hr-aside
      [off]="item.off ?? false"
      [note]="item.note ?? ''"
      (changed)="changed.emit({ ...item, ...$event })"
    />
    <hr-part-foot
      [drops]="item.is === 'so' ? 'Take out' : 'Take all out'"
      [place]="place()"
      [many]="many()"
      (moved)="moved.emit($event)"
      (dropped)="dropped.emit()"
      (done)="done.emit()"
    >
      @if (item.is === 'so' && !adds()) {
        <button matButton="outlined" class="compact" type="button" (click)="adds.set(true)">Or else…</button>
      }
    </hr-part-foot>
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
    }
  `,
})
export class ConditionPartComponent {
  readonly condition = input.required<QueryCondition>();
  readonly editing = input.required<Editing>();
  readonly reading = input.required<Reading>();
  readonly choices = input.required<Fetch>();
  /** Tells which texts stand in a field; null where that cannot be asked. */
  readonly values = input<((path: FieldPath) => Observable<readonly ValueThere[]>) | null>(null);
  readonly reader = input.required<Reader>();
  readonly changed = output<QueryCondition>();
  /** Another condition, of which either is to hold. */
  readonly or = output<QueryCondition>();
  /** Its place among how many beside it. */
  readonly place = input(0);
  readonly many = input(0);
  readonly moved = output<number>();
  readonly dropped = output();
  readonly done = output();
  protected readonly adds = signal(false);
  protected readonly text = computed(() => {
    const condition = this.condition();
    return condition.is === 'so' ? this.reader().text(condition.expression) : '';
  });

  write({ text, ok }: { readonly text: string; readonly ok: boolean }): void {
    const condition = this.condition();
    if (!ok || text.trim() === '' || condition.is !== 'so') return;
    const expression = this.stored(text);
    if (expression !== condition.expression) this.changed.emit({ ...condition, expression });
  }

  protected another({ text }: Pick<Made, 'text'>): void {
    this.or.emit(so(this.stored(text)));
    this.adds.set(false);
  }

  private stored(text: string): string {
    return toStored(text, this.editing().catalog, this.editing().table);
  }
}
