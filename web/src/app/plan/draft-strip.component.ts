import { Component, computed, inject, output, signal } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';
import { FileStore } from '../bench/file.store';
import { DraftStore } from './draft.store';

/** What the draft holds, what the rows say to it, and the way to apply it or set it aside. */
@Component({
  selector: 'hr-draft-strip',
  imports: [MatIconModule],
  template: `
    @if (draft.changes().length > 0) {
      <div class="strip" role="region" aria-label="Draft">
        <p>
          <strong
            >{{ draft.changes().length }}
            {{ draft.changes().length === 1 ? 'change' : 'changes' }} drafted.</strong
          >
          @if (draft.busy() === 'checking') {
            Checking against the rows …
          } @else if (draft.misfit()) {
            <strong class="bad">{{ draft.misfit() }}</strong>
          } @else if (stops().length > 0) {
            <strong class="bad">{{ stops()[0]!.message }}</strong>
          } @else if (draft.result(); as result) {
            @if (result.clear) {
              Checked against {{ rows() }} rows: nothing stands in the way.
            } @else {
              Checked against {{ rows() }} rows: <strong class="bad">{{ broken() }}</strong>
            }
          } @else {
            Nothing in the file has changed yet.
          }
        </p>
        @if (draft.problem()) {
          <p class="message" role="alert">{{ draft.problem() }}</p>
        }
        @if (details().length > 0) {
          <button class="link" type="button" [attr.aria-expanded]="open()" (click)="open.set(!open())">
            {{ open() ? 'Hide them' : 'Show them' }}
          </button>
          @if (open()) {
            <ul class="plain-list details">
              @for (item of details(); track $index) {
                <li>
                  <button class="link cut-none" type="button" (click)="show.emit(item.at)">
                    {{ item.text }}
                  </button>
                  @if (item.rows) {
                    <span class="small soft">{{ item.rows }}</span>
                  }
                </li>
              }
            </ul>
          }
        }
        <div class="row">
          <button
            class="btn"
            type="button"
            [disabled]="draft.busy() !== '' || stops().length > 0"
            (click)="draft.check()"
          >
            <mat-icon svgIcon="task_alt" />Check
          </button>
          <button
            class="btn act"
            type="button"
            [disabled]="
              draft.busy() !== '' ||
              stops().length > 0 ||
              draft.misfit() !== '' ||
              draft.result()?.clear === false
            "
            (click)="draft.apply()"
          >
            {{ draft.busy() === 'applying' ? 'Applying …' : 'Apply' }}
          </button>
          <button class="btn" type="button" [disabled]="draft.busy() !== ''" (click)="draft.setAside()">
            Set aside
          </button>
          <button
            class="icon-btn"
            type="button"
            aria-label="Take back the last change"
            [disabled]="draft.busy() !== ''"
            (click)="draft.undo()"
          >
            <mat-icon svgIcon="undo" />
          </button>
          <span class="grow"></span>
          <span class="small soft">A safe copy is taken first</span>
        </div>
      </div>
    }
  `,
  styles: `
    .strip {
      display: grid;
      gap: 8px;
      max-height: 45vh;
      overflow: auto;
      padding: 12px 18px;
      background: var(--gorse-tint);
      border-top: 1px solid #e3d3a8;
    }
    .soft {
      color: #575e55;
    }
    .link {
      justify-self: start;
      padding: 0;
      border: 0;
      background: none;
      text-decoration: underline;
      text-align: left;
      cursor: pointer;
    }
    .details {
      display: grid;
      gap: 6px;
    }
    .details li {
      display: grid;
    }
  `,
})
export class DraftStripComponent {
  readonly draft = inject(DraftStore);
  private readonly store = inject(FileStore);
  readonly show = output<{ table: string; field?: string }>();
  readonly open = signal(false);

  readonly stops = computed(() => this.draft.notices().filter(({ level }) => level === 'stop'));
  readonly rows = computed(() => {
    const tables = new Set(
      this.draft
        .changes()
        .map((change) => (typeof change.table === 'string' ? change.table : change.table.id)),
    );
    return [...tables]
      .reduce((sum, table) => sum + (this.store.counts()[table] ?? 0), 0)
      .toLocaleString('en-GB');
  });
  readonly broken = computed(() => {
    const findings = this.draft.result()?.findings ?? [];
    const [first] = findings;
    if (!first) return '';
    const more = findings.length > 1 ? ` (and ${findings.length - 1} more)` : '';
    return `${first.count.toLocaleString('en-GB')} ${first.count === 1 ? 'row does' : 'rows do'} not fit. ${first.message}${more}`;
  });
  readonly details = computed(() => [
    ...this.draft.notices().map(({ message, dependants, table, field }) => ({
      at: { table, field },
      text: message,
      rows: dependants.map(({ label, use }) => (use ? `${label} (${use})` : label)).join(', '),
    })),
    ...(this.draft.result()?.findings ?? []).map(({ count, message, sample, table, field }) => ({
      at: { table, field },
      text: `${count.toLocaleString('en-GB')} ${count === 1 ? 'row' : 'rows'}. ${message}`,
      rows: `such as ${sample
        .slice(0, 8)
        .map(({ key, value }) =>
          value === null ? `number ${key.join(' · ')}` : `number ${key.join(' · ')}: ${String(value)}`,
        )
        .join('; ')}`,
    })),
  ]);
}
