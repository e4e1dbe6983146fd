import { Component, computed, inject, input, output } from '@angular/core';
import { NgTemplateOutlet } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { MatIconModule } from '@angular/material/icon';
import { attempt, fromStored, toStored } from '@heathridge/core/expression';
import {
  KIND_LABELS,
  nameFromLabel,
  uniqueName,
  type Field,
  type KindName,
  type Table,
} from '@heathridge/core/design';
import { FileStore } from '../bench/file.store';
import { ExpressionEditorComponent } from '../shared/expression-editor.component';
import { newId } from '../shared/ids';
import { newType } from './describe';
import { DraftStore } from './draft.store';

/** Everything about one field, as short phrases with choices. Each edit goes straight into the draft. */
@Component({
  selector: 'hr-field-editor',
  imports: [FormsModule, MatIconModule, NgTemplateOutlet, ExpressionEditorComponent],
  template: `
    <div class="grid">
      <div class="field wide">
        <label for="f-label">Label</label>
        <input
          id="f-label"
          class="input"
          maxlength="60"
          [ngModel]="field().label"
          (change)="rename($any($event.target).value)"
        />
        <span class="soft small"
          >in expressions: <span class="code">{{ field().name }}</span></span
        >
      </div>
      <div class="field">
        <label for="f-kind">Kind</label>
        <select
          id="f-kind"
          class="input"
          [disabled]="applied()"
          [ngModel]="field().type.kind"
          (ngModelChange)="setKind($event)"
        >
          @for (kind of kinds(); track kind[0]) {
            <option [value]="kind[0]">{{ kind[1] }}</option>
          }
        </select>
        @if (applied()) {
          <span class="soft small">stays as it is, now that it is applied</span>
        }
      </div>
      @let type = field().type;
      @switch (type.kind) {
        @case ('text') {
          <div class="field">
            <label for="f-most">At most, characters</label>
            <input
              id="f-most"
              class="input"
              type="number"
              min="1"
              max="10000"
              placeholder="no limit"
              [ngModel]="type.most"
              (change)="set({ type: { kind: 'text', most: +$any($event.target).value || null } })"
            />
          </div>
        }
        @case ('decimal') {
          <ng-container [ngTemplateOutlet]="places" />
        }
        @case ('money') {
          <ng-container [ngTemplateOutlet]="places" />
        }
        @case ('choice') {
          <div class="field wide">
            <label for="f-choices">Choices, one a line</label>
            <textarea
              id="f-choices"
              class="input"
              rows="4"
              [ngModel]="type.choices.join(newline)"
              (change)="setChoices($any($event.target).value)"
            ></textarea>
          </div>
        }
        @case ('lookup') {
          <div class="field">
            <label for="f-table">Looks up a row of</label>
            <select
              id="f-table"
              class="input"
              [disabled]="applied()"
              [ngModel]="type.table"
              (ngModelChange)="
                set({ type: { kind: 'lookup', table: $event, shows: null, onDelete: type.onDelete } })
              "
            >
              @for (table of targets(); track table.id) {
                <option [value]="table.id">{{ table.label }}</option>
              }
            </select>
          </div>
          <div class="field wide">
            <span class="label" id="f-shows">Shows</span>
            <hr-expression-editor
              label="What the lookup shows"
              [value]="shows()"
              [catalog]="draft.catalog()"
              [table]="type.table"
              (changed)="setShows($event)"
            />
            <span class="soft small"
              >Empty: what its table shows everywhere. Fields of that table, joined with ||</span
            >
          </div>
          <div class="field wide">
            <label for="f-delete">When that row is deleted</label>
            <select
              id="f-delete"
              class="input"
              [ngModel]="type.onDelete"
              (ngModelChange)="
                set({ type: { kind: 'lookup', table: type.table, shows: type.shows, onDelete: $event } })
              "
            >
              <option value="refuse">refuse, while rows here need it</option>
              <option value="deleteAlong">delete the rows here along with it</option>
              <option value="leaveEmpty">leave this field empty</option>
            </select>
          </div>
        }
        @case ('runningNumber') {
          <div class="field">
            <label for="f-prefix">Prefix</label>
            <input
              id="f-prefix"
              class="input"
              maxlength="10"
              [ngModel]="type.prefix"
              (change)="
                set({
                  type: {
                    kind: 'runningNumber',
                    prefix: $any($event.target).value,
                    width: type.width,
                    first: type.first,
                  },
                })
              "
            />
          </div>
          <div class="field">
            <label for="f-width">Digits, at least</label>
            <input
              id="f-width"
              class="input"
              type="number"
              min="0"
              max="12"
              [ngModel]="type.width"
              (change)="
                set({
                  type: {
                    kind: 'runningNumber',
                    prefix: type.prefix,
                    width: whole($any($event.target).value, 0, 12),
                    first: type.first,
                  },
                })
              "
            />
          </div>
          <div class="field">
            <label for="f-first">First number</label>
            <input
              id="f-first"
              class="input"
              type="number"
              min="1"
              [disabled]="applied()"
              [ngModel]="type.first"
              (change)="
                set({
                  type: {
                    kind: 'runningNumber',
                    prefix: type.prefix,
                    width: type.width,
                    first: whole($any($event.target).value, 1, 1e12),
                  },
                })
              "
            />
          </div>
        }
      }
    </div>
    <ng-template #places>
      <div class="field">
        <label for="f-places">Decimal places</label>
        <input
          id="f-places"
          class="input"
          type="number"
          min="0"
          max="6"
          [ngModel]="$any(field().type).places"
          (change)="
            set({ type: { kind: $any(field().type).kind, places: whole($any($event.target).value, 0, 6) } })
          "
        />
      </div>
    </ng-template>

    @if (!isKey()) {
      <div class="ticks">
        @if (type.kind !== 'tick') {
          <label
            ><input
              type="checkbox"
              [checked]="field().alwaysFilled"
              (change)="set({ alwaysFilled: $any($event.target).checked })"
            />
            Always filled</label
          >
          <label
            ><input
              type="checkbox"
              [checked]="field().noTwoAlike"
              (change)="set({ noTwoAlike: $any($event.target).checked })"
            />
            No two alike</label
          >
        }
        <label
          ><input
            type="checkbox"
            [checked]="field().indexed"
            (change)="set({ indexed: $any($event.target).checked })"
          />
          Often searched or sorted</label
        >
      </div>
      <div class="field">
        <span class="label">Starts as</span>
        <hr-expression-editor
          label="Starting value"
          [value]="field().start ?? ''"
          [catalog]="draft.catalog()"
          [table]="null"
          (changed)="setStart($event)"
        />
      </div>
      <div class="field">
        <span class="label">Rule</span>
        <hr-expression-editor
          label="Rule"
          [condition]="true"
          [value]="ruleText()"
          [catalog]="draft.catalog()"
          [table]="table().id"
          (changed)="setRule($event)"
        />
      </div>
      @if (ruleText().trim() !== '') {
        <div class="field">
          <label for="f-message">What people read when it fails</label>
          <input
            id="f-message"
            class="input"
            maxlength="300"
            [ngModel]="field().rule?.message ?? ''"
            (change)="setMessage($any($event.target).value)"
          />
        </div>
      }
      <div class="row">
        <button
          class="icon-btn"
          type="button"
          aria-label="Move this field up"
          [disabled]="place() === 0"
          (click)="move(-1)"
        >
          <mat-icon svgIcon="arrow_upward" />
        </button>
        <button
          class="icon-btn"
          type="button"
          aria-label="Move this field down"
          [disabled]="place() === table().fields.length - 1"
          (click)="move(1)"
        >
          <mat-icon svgIcon="arrow_downward" />
        </button>
        <span class="grow"></span>
        <button class="btn small danger" type="button" (click)="dropped.emit(field().id)">
          <mat-icon svgIcon="delete" />Drop this field
        </button>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 10px;
      padding: 2px 18px 14px 58px;
    }
    .grid {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
    }
    .wide {
      grid-column: 1 / -1;
    }
    .ticks {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 18px;
    }
    .ticks input {
      accent-color: var(--moss);
    }
  `,
})
export class FieldEditorComponent {
  readonly store = inject(FileStore);
  readonly draft = inject(DraftStore);
  readonly table = input.required<Table>();
  readonly field = input.required<Field>();
  readonly dropped = output<string>();
  readonly newline = '\n';

  /** Whether the field is in the file already; then its kind can no longer be anything. */
  readonly applied = computed(() =>
    this.store.design().tables.some(({ fields }) => fields.some(({ id }) => id === this.field().id)),
  );
  readonly isKey = computed(() => this.table().key.includes(this.field().id));
  readonly place = computed(() => this.table().fields.findIndex(({ id }) => id === this.field().id));
  readonly kinds = computed(() =>
    (Object.entries(KIND_LABELS) as [KindName, string][]).filter(
      ([kind]) => this.isKey() || kind !== 'runningNumber',
    ),
  );
  readonly targets = computed(() => this.draft.design().tables.filter(({ key }) => key.length === 1));
  readonly ruleText = computed(() => this.named(this.field().rule?.expression ?? '', this.table().id));
  readonly shows = computed(() => {
    const { type } = this.field();
    return type.kind === 'lookup' && type.shows !== null ? this.named(type.shows, type.table) : '';
  });

  set(patch: Parameters<DraftStore['changeField']>[2]): void {
    this.draft.changeField(this.table().id, this.field().id, patch);
  }

  rename(label: string): void {
    const text = label.trim();
    if (text === '') return;
    const others = this.table().fields.filter(({ id }) => id !== this.field().id);
    this.set({
      label: text,
      name: uniqueName(
        nameFromLabel(text, 'field'),
        others.map(({ name }) => name),
      ),
    });
  }

  setKind(kind: KindName): void {
    this.set({
      type: newType(kind, this.draft.design()),
      ...(kind === 'tick' ? { alwaysFilled: false, noTwoAlike: false } : {}),
      start: null,
      rule: null,
    });
  }

  setChoices(text: string): void {
    const choices = [
      ...new Set(
        text
          .split('\n')
          .map((line) => line.trim())
          .filter((line) => line !== ''),
      ),
    ];
    if (choices.length > 0) this.set({ type: { kind: 'choice', choices } });
  }

  setShows({ text, ok }: { text: string; ok: boolean }): void {
    const { type } = this.field();
    if (!ok || type.kind !== 'lookup' || text === this.shows()) return;
    this.set({
      type: { ...type, shows: text.trim() === '' ? null : toStored(text, this.draft.catalog(), type.table) },
    });
  }

  setStart({ text }: { text: string }): void {
    if (text !== (this.field().start ?? '')) this.set({ start: text.trim() === '' ? null : text });
  }

  setRule({ text, ok }: { text: string; ok: boolean }): void {
    if (text === this.ruleText()) return;
    if (text.trim() === '') this.set({ rule: null });
    else if (ok) {
      const { rule, label } = this.field();
      this.set({
        rule: {
          id: rule?.id ?? newId('r'),
          expression: toStored(text, this.draft.catalog(), this.table().id),
          message: rule?.message ?? `${label} does not fit.`,
        },
      });
    }
  }

  setMessage(message: string): void {
    const { rule } = this.field();
    if (rule && message.trim() !== '') this.set({ rule: { ...rule, message: message.trim() } });
  }

  move(by: number): void {
    this.draft.add({
      change: 'moveField',
      table: this.table().id,
      field: this.field().id,
      to: this.place() + by,
    });
  }

  whole(text: string, least: number, most: number): number {
    return Math.min(Math.max(Math.round(Number(text)) || least, least), most);
  }

  private named(stored: string, table: string): string {
    if (stored === '') return '';
    const result = attempt(() => fromStored(stored, this.draft.catalog(), table));
    return result.ok ? result.value : stored;
  }
}
