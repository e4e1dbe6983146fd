import { Component, computed, inject, output, signal, ViewContainerRef } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatIconModule } from '@angular/material/icon';
import type { Notice } from '@heathridge/core/change';
import { rulesOf, showKey, type Field } from '@heathridge/core/design';
import type { Dependant } from '@heathridge/core/documents';
import { FileStore } from '../file/file.store';
import { Api, type Finding, type Given } from '../shared/api.service';
import { changeWords, namesOf } from '../file/describe';
import { DraftStore, tableOfChange } from './draft.store';
import type { FoundData } from './found.dialog';
import type { NotUndone } from './not-undone.dialog';
import { SelectComponent, type Option } from '../shared/select.component';
import { LazyDialogs } from '../shared/lazy-dialogs.service';

/** What the draft holds, what the rows say to it, and the way to apply it or set it aside. */
@Component({
  selector: 'hr-draft-strip',
  imports: [SelectComponent, MatButton, MatIconButton, MatIconModule, MatProgressBarModule],
  template: `
    @if (draft.notUndone(); as refused) {
      <div class="strip" role="region" aria-label="Not undone">
        <p role="alert">
          <strong class="bad">The change was not undone.</strong>
          {{ refused.findings.length > 0 ? 'Some rows would not fit:' : refused.message }}
        </p>
        @for (finding of refused.findings; track finding.number) {
          <p class="small">
            {{ finding.count }} {{ finding.count === 1 ? 'row' : 'rows' }}: {{ finding.message }}
            <span class="soft">{{ rowsOf(finding) }}</span>
          </p>
        }
        <div class="row">
          @if (refused.findings.length > 0) {
            <span class="soft small grow">Nothing was changed. They can be changed in Fill as well.</span>
            @if (refused.fields.length > 0) {
              <button matButton="outlined" class="compact" type="button" (click)="say(refused)">
                Say what they are to hold
              </button>
            }
          } @else {
            <span class="soft small grow">Nothing was changed.</span>
          }
          <button matButton="outlined" class="compact" type="button" (click)="draft.notUndone.set(null)">
            Close
          </button>
        </div>
      </div>
    }
    @if (draft.busy() === 'undoing' || draft.changes().length > 0 || draft.theirs()) {
      <div class="strip" role="region" aria-label="Draft">
        <p>
          @if (draft.busy() !== 'undoing') {
            <button
              matButton="text"
              class="words"
              type="button"
              [attr.aria-expanded]="listing()"
              (click)="listing.set(!listing())"
            >
              <strong
                >{{ draft.changes().length }}
                {{ draft.changes().length === 1 ? 'change' : 'changes' }} drafted.</strong
              >
            </button>
            {{ ' ' }}
          }
          @if (draft.busy() !== '') {
            {{ running() }}
          } @else if (draft.misfit()) {
            <strong class="bad">{{ draft.misfit() }}</strong>
          } @else if (stops().length > 0) {
            <strong class="bad">{{ open() ? 'This must be settled first:' : stops()[0]!.message }}</strong>
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
        @if (draft.busy() !== '' && draft.progress(); as progress) {
          <div class="row">
            <mat-progress-bar
              [value]="(100 * progress.step) / progress.of"
              [attr.aria-label]="progress.what"
            />
            <span class="small soft">step {{ progress.step + 1 }} of {{ progress.of }}</span>
          </div>
        }
        @if (draft.theirs(); as theirs) {
          <p class="message" role="alert">
            Another window has changed this draft meanwhile: it holds {{ counted(theirs.changes) }} there, and
            {{ counted(draft.changes()) }} here. Nothing is kept until you say which counts.
          </p>
          <details>
            <summary class="small">What the other window holds</summary>
            <ol class="plain-list details">
              @for (change of theirs.changes; track $index) {
                <li>{{ words(change) }}</li>
              } @empty {
                <li>Nothing: it was applied or set aside.</li>
              }
            </ol>
          </details>
          <div class="row">
            <button matButton="outlined" class="compact" type="button" (click)="draft.takeTheirs()">
              Take the other one
            </button>
            <button matButton="outlined" class="compact" type="button" (click)="draft.keepMine()">
              Keep this one
            </button>
          </div>
        }
        @if (draft.problem()) {
          <p class="message" role="alert">{{ draft.problem() }}</p>
        }
        @if (listing()) {
          <ol class="plain-list details">
            @for (change of draft.changes(); track $index) {
              <li>{{ words(change) }}</li>
            }
          </ol>
        }
        @if (notices().length + findings().length > 0 && draft.busy() === '') {
          <button
            matButton="text"
            class="words"
            type="button"
            [attr.aria-expanded]="open()"
            (click)="toggled.set(!open())"
          >
            {{ open() ? 'Hide what it touches' : 'Show what it touches' }}
          </button>
          @if (open()) {
            <ul class="plain-list details">
              @for (notice of notices(); track $index) {
                <li>
                  <button
                    matButton="text"
                    class="words"
                    type="button"
                    [class.danger]="notice.level === 'stop'"
                    (click)="show.emit(notice)"
                  >
                    {{ notice.message }}
                  </button>
                  @for (dependant of notice.dependants; track dependant.id + dependant.use) {
                    <span class="row small dependant"
                      ><span class="grow"
                        >{{ dependant.label }}<span class="soft"> · {{ dependant.use }}</span></span
                      >
                      @if (notice.gone && notice.level === 'stop' && dependant.fate !== null) {
                        <hr-select
                          compact
                          [about]="'What becomes of ' + dependant.label + ': ' + dependant.use"
                          placeholder="choose …"
                          [options]="fates(notice, dependant)"
                          [value]="null"
                          (changed)="mend(notice, dependant, $event)"
                        />
                      } @else {
                        <span class="soft">{{ dependant.fate ?? 'it cannot do without' }}</span>
                      }
                    </span>
                  }
                  @if (notice.gone && notice.level === 'stop' && mendable(notice).length > 1) {
                    <button matButton="outlined" class="compact" type="button" (click)="mendAll(notice)">
                      Take it out everywhere
                    </button>
                  }
                </li>
              }
              @for (finding of findings(); track finding.number) {
                <li>
                  <span class="row"
                    ><button
                      matButton="text"
                      class="words grow"
                      type="button"
                      (click)="show.emit({ table: finding.table, field: finding.field ?? undefined })"
                    >
                      {{ number(finding.count) }} {{ finding.count === 1 ? 'row' : 'rows' }}.
                      {{ finding.message }}
                    </button>
                    @if (finding.rule) {
                      <button
                        matButton="outlined"
                        class="compact"
                        type="button"
                        (click)="keepForNewRows(finding)"
                      >
                        Only for new rows
                      </button>
                    }
                    <button matButton="outlined" class="compact" type="button" (click)="look(finding)">
                      Show and mend
                    </button></span
                  >
                </li>
              }
            </ul>
          }
        }
        <div class="row">
          @if (draft.busy() !== '') {
            <button matButton="outlined" type="button" (click)="draft.stop()">
              <mat-icon svgIcon="close" />Stop
            </button>
          } @else {
            <button
              matButton="outlined"
              type="button"
              [disabled]="stops().length > 0 || draft.misfit() !== ''"
              (click)="draft.check()"
            >
              <mat-icon svgIcon="task_alt" />Check
            </button>
            <button
              matButton="filled"
              type="button"
              [disabled]="stops().length > 0 || draft.misfit() !== '' || draft.result()?.clear === false"
              (click)="draft.apply()"
            >
              Apply
            </button>
            <button matButton="outlined" type="button" (click)="draft.setAside()">Set aside</button>
            <button matIconButton type="button" aria-label="Take back the last edit" (click)="draft.undo()">
              <mat-icon svgIcon="undo" />
            </button>
          }
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
      max-height: 52vh;
      overflow: auto;
      padding: 12px 18px;
      background: var(--hr-gorse-tint);
      border-top: 1px solid var(--hr-gorse-line);
    }
    .soft {
      color: var(--hr-soft);
    }
    .details {
      display: grid;
      gap: 8px;
    }
    .details li {
      display: grid;
      gap: 4px;
    }
    .details [matButton] {
      justify-self: start;
    }
    .dependant {
      padding-left: 12px;
      align-items: center;
    }
    .dependant mat-form-field {
      width: 210px;
    }
    .dependant .grow {
      min-width: 0;
    }
    mat-progress-bar {
      width: 220px;
    }
  `,
})
export class DraftStripComponent {
  private readonly api = inject(Api);
  readonly draft = inject(DraftStore);
  private readonly store = inject(FileStore);
  private readonly dialogs = inject(LazyDialogs);
  private readonly here = inject(ViewContainerRef);
  readonly show = output<{ table: string; field?: string | undefined }>();
  readonly toggled = signal<boolean | null>(null);
  readonly listing = signal(false);

  readonly notices = computed(() => this.draft.notices());
  readonly findings = computed(() => this.draft.result()?.findings ?? []);
  readonly stops = computed(() => this.notices().filter(({ level }) => level === 'stop'));
  /** What must be mended is shown without asking. */
  readonly open = computed(
    () => this.toggled() ?? this.stops().some(({ dependants }) => dependants.length > 0),
  );
  readonly running = computed(() => {
    const what = this.draft.progress()?.what;
    if (what) return `${what} …`;
    switch (this.draft.busy()) {
      case 'checking':
        return 'Checking against the rows …';
      case 'applying':
        return 'Applying …';
      default:
        return 'Undoing …';
    }
  });
  readonly rows = computed(() => {
    const tables = new Set(this.draft.changes().map(tableOfChange));
    const sum = [...tables].reduce((total, table) => total + (this.store.counts()[table ?? ''] ?? 0), 0);
    return this.number(sum);
  });
  readonly broken = computed(() => {
    const findings = this.findings();
    const [first] = findings;
    if (!first) return '';
    const several = findings.length > 1;
    const count = `${this.number(first.count)} ${first.count === 1 ? 'row does' : 'rows do'} not fit`;
    // The list below says the rest.
    if (this.open()) return several ? 'Some do not fit:' : `${count}:`;
    return `${count}. ${first.message}${several ? ` (and ${findings.length - 1} more)` : ''}`;
  });

  number(value: number): string {
    return value.toLocaleString('en-GB');
  }

  private readonly names = computed(() => namesOf(this.store.design()));

  /** Asks what rows are to hold that would not fit, and undoes with that. */
  say(refused: NotUndone): void {
    this.dialogs
      .open<unknown, NotUndone, readonly Given[]>(
        () => import('./not-undone.dialog').then((m) => m.NotUndoneDialog),
        { data: refused, viewContainerRef: this.here },
      )
      .subscribe((given) => given && this.draft.undoApplied(refused.version, given));
  }

  /** The first rows of a finding by their keys, as Fill shows them. */
  rowsOf({ table: id, sample, count }: Finding): string {
    const table = this.store.design().tables.find((candidate) => candidate.id === id);
    const shown = sample.map(({ key }) =>
      table ? showKey(table, key, this.store.locale()) : key.join(' · '),
    );
    return `${table?.label ?? ''} ${shown.join(', ')}${count > sample.length ? ' …' : ''}`;
  }

  counted(changes: readonly unknown[]): string {
    return `${changes.length} ${changes.length === 1 ? 'change' : 'changes'}`;
  }

  words(change: Parameters<typeof changeWords>[1]): string {
    return changeWords(this.draft.design(), change, this.names());
  }

  mendable({ dependants }: Notice): readonly Dependant[] {
    return dependants.filter(({ fate }) => fate !== null);
  }

  /** Fields of the same table that could take the place of the one dropped. */
  substitutes({ table: id, gone }: Notice): Field[] {
    const table = this.draft.design().tables.find((candidate) => candidate.id === id);
    const old = this.store.design().tables.find((candidate) => candidate.id === id);
    const was = old?.fields.find((field) => field.id === gone);
    if (!table || !was) return [];
    const lookup = was.type.kind === 'lookup' ? was.type.table : null;
    return table.fields.filter(({ type }) =>
      lookup === null ? type.kind !== 'lookup' : type.kind === 'lookup' && type.table === lookup,
    );
  }

  fates(notice: Notice, { fate }: Dependant): Option[] {
    return [
      { id: 'out', label: `take it out: ${fate}` },
      ...this.substitutes(notice).map(({ id, label }) => ({ id, label: `put ${label} in its place` })),
    ];
  }

  mend({ gone }: Notice, { id }: Dependant, choice: string): void {
    if (choice !== '' && gone) this.draft.mend(gone, id, choice === 'out' ? null : choice);
  }

  mendAll(notice: Notice): void {
    for (const { id } of this.mendable(notice)) this.draft.mend(notice.gone!, id, null);
  }

  /** Keeps the rule, but lets the rows that break it now stay as they are. */
  keepForNewRows({ table: id, rule: ruleId }: Finding): void {
    const table = this.draft.design().tables.find((candidate) => candidate.id === id);
    const found = table && rulesOf(table).find(({ rule }) => rule.id === ruleId);
    if (!table || !found) return;
    const next = { ...found.rule, newRowsOnly: true };
    if (found.field) this.draft.changeField(table.id, found.field.id, { rule: next });
    else
      this.draft.changeTable(table.id, {
        rules: table.rules.map((rule) => (rule.id === ruleId ? next : rule)),
      });
  }

  look(finding: Finding): void {
    const draft = this.draft.draft();
    const data: FoundData = {
      finding,
      rows: (offset, limit) => this.api.found(this.store.file, draft, finding.number, offset, limit),
    };
    this.dialogs
      .open<unknown, FoundData, boolean>(() => import('./found.dialog').then((m) => m.FoundDialog), {
        data,
        maxWidth: '90vw',
        viewContainerRef: this.here,
      })
      .subscribe((mended) => mended && this.draft.check());
  }
}
