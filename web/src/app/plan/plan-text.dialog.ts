import { Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogModule, MatDialogRef } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { type Change } from '@heathridge/core/change';
import { readFieldLines, readPlanText } from '@heathridge/core/plan';
import { KIND_LABELS, type Design, type Table } from '@heathridge/core/design';
import { LineComponent } from '../shared/line.component';
import { newId } from '../shared/ids';
import { KIND_ICONS } from '../file/describe';

export interface Planned {
  readonly design: Design;
  /** The table that gets the fields; without one, each paragraph is a table. */
  readonly table: Table | null;
  readonly text: string;
}

const EXAMPLE = {
  fields: 'phone\njoined: date\nfee: money, always filled\nstate: waiting, here, left',
  plan: 'Plot\nnumber\nsize\n\nGardener\nname: text, always filled\njoined: date\nplot -> Plot',
};

/** Fields or whole tables written as lines, and beside them what they become, before they are taken. */
@Component({
  selector: 'hr-plan-text',
  imports: [LineComponent, MatButton, MatDialogModule, MatIconModule],
  template: `
    <h2 mat-dialog-title>{{ data.table ? 'Fields for ' + data.table.label : 'Tables in words' }}</h2>
    <mat-dialog-content>
      <p class="soft">
        {{
          data.table
            ? 'One line is one field.'
            : 'One paragraph is one table: its name, then one line for each field.'
        }}
        Behind a colon stands its kind or its choices, behind <code>-&gt;</code> the table it looks up;
        without either the kind is guessed from the words.
      </p>
      <div class="two">
        <hr-line
          first
          [label]="data.table ? 'Fields' : 'Tables and their fields'"
          lines="12"
          [placeholder]="example"
          [value]="data.text"
          (typed)="text.set($event)"
        />
        <section aria-label="What it becomes">
          @for (table of plan().tables; track table.id + $index) {
            @if (!data.table) {
              <h3>
                {{ table.label }}
                <span class="tag" [class.gorse]="table.isNew">{{ table.isNew ? 'new' : 'is there' }}</span>
              </h3>
            }
            <ul class="plain-list">
              @for (field of table.fields; track field.line) {
                <li>
                  <mat-icon [svgIcon]="icons[field.type.kind]" aria-hidden="true" />
                  <strong class="cut" dir="auto">{{ field.label }}</strong>
                  <span class="soft kind"
                    >{{ kinds[field.type.kind]
                    }}{{
                      field.leadsTo
                        ? ' of ' + field.leadsTo
                        : field.type.kind === 'choice'
                          ? ': ' + field.type.choices.join(', ')
                          : ''
                    }}{{ field.alwaysFilled ? ' · always filled' : ''
                    }}{{ field.noTwoAlike ? ' · no two alike' : '' }}</span
                  >
                  @if (field.guessed) {
                    <span class="tag">guessed</span>
                  }
                </li>
              }
              @for (fault of table.faults; track fault.line) {
                <li class="fault">
                  <mat-icon svgIcon="error" aria-hidden="true" />
                  <span>Line {{ fault.line }}: {{ fault.fault }}</span>
                </li>
              }
            </ul>
          } @empty {
            <p class="soft">What you write shows here as it will be, before it is taken.</p>
          }
        </section>
      </div>
    </mat-dialog-content>
    <mat-dialog-actions align="end">
      <span class="soft grow" role="status">{{ says() }}</span>
      <button matButton="outlined" type="button" mat-dialog-close>Cancel</button>
      <button matButton="filled" type="button" [disabled]="!isReady()" (click)="done()">
        Add to the draft
      </button>
    </mat-dialog-actions>
  `,
  styles: `
    p {
      margin: 0 0 12px;
    }
    .two {
      display: grid;
      grid-template-columns: minmax(220px, 5fr) 7fr;
      gap: 18px;
      min-height: 300px;
    }
    h3 {
      margin: 10px 0 2px;
      font-size: var(--hr-text-base);

      &:first-child {
        margin-top: 0;
      }
    }
    li {
      display: flex;
      gap: 8px;
      align-items: center;
      min-height: 28px;
    }
    .kind {
      flex: 1;
      min-width: 0;
      overflow-wrap: anywhere;
    }
    strong {
      max-width: 45%;
    }
    .fault {
      align-items: flex-start;
      padding: 3px 0;
      color: var(--hr-rust);
    }
    @media (max-width: 620px) {
      .two {
        grid-template-columns: minmax(0, 1fr);
      }
    }
  `,
})
export class PlanTextDialog {
  readonly data = inject<Planned>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<PlanTextDialog, readonly Change[]>>(MatDialogRef);
  readonly icons = KIND_ICONS;
  readonly kinds = KIND_LABELS;
  readonly example = this.data.table ? EXAMPLE.fields : EXAMPLE.plan;
  readonly text = signal(this.data.text);
  readonly plan = computed(() => {
    const { design, table } = this.data;
    return table
      ? readFieldLines(this.text(), design, table, newId)
      : readPlanText(this.text(), design, newId);
  });
  private readonly faults = computed(() => this.plan().tables.flatMap(({ faults }) => faults).length);
  readonly isReady = computed(() => this.faults() === 0 && this.plan().changes.length > 0);
  readonly says = computed(() => {
    const { tables } = this.plan();
    const fields = tables.flatMap((table) => table.fields).length;
    // Two paragraphs may be about one table.
    const news = new Set(tables.filter(({ isNew }) => isNew).map(({ id }) => id)).size;
    const parts = [...(news > 0 ? [count(news, 'new table')] : []), count(fields, 'field')];
    const taken = parts.join(', ');
    return this.faults() === 0 ? taken : `${taken}; ${count(this.faults(), 'line')} cannot be taken yet.`;
  });

  done(): void {
    this.ref.close(this.plan().changes);
  }
}

const count = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
