import { Component, computed, inject, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatIconModule } from '@angular/material/icon';
import { Router } from '@angular/router';
import type { Board, Form, RoleDefinition, Table } from '@heathridge/core/design';
import { rightsOn, tablesOn, type TableRights } from '@heathridge/core/people';
import { DocumentPage } from '../file/document-page';
import { DetailsComponent } from '../frame/details.component';
import { DOCUMENT_PARTS } from '../frame/document-parts';
import { seeAs } from '../shared/as-role';
import { newId } from '../shared/ids';
import { MembersComponent } from './members.component';
import { TableLimitsComponent } from './table-limits.component';

/** Who may open the file, and what each role finds on the Desk. */
@Component({
  selector: 'hr-people',
  imports: [
    DetailsComponent,
    DOCUMENT_PARTS,
    MatButton,
    MatCheckboxModule,
    MatIconModule,
    MembersComponent,
    TableLimitsComponent,
  ],
  host: { '(document:keydown)': 'keys($event)' },
  template: `
    <hr-documents
      about="People"
      heading="Roles on the Desk"
      act="New role"
      none="None yet: everybody finds every screen."
      [list]="all()"
      [current]="role()?.id"
      (opened)="openId($event)"
      (begun)="make()"
    />
    @if (role(); as current) {
      <section [attr.aria-label]="current.label">
        <hr-heading
          about="Name of the role"
          [name]="current.label"
          [dirty]="dirty()"
          (renamed)="rename($event)"
        >
          <button matButton="text" class="danger" type="button" (click)="drop()">Drop</button>
          <button matButton="outlined" type="button" [disabled]="dirty()" (click)="look()">
            <mat-icon svgIcon="visibility" />See its Desk
          </button>
          <button matButton="filled" type="button" [disabled]="!dirty()" (click)="save()">Save role</button>
        </hr-heading>
        <div class="sheet">
          <div class="card part" role="group" aria-label="Screens">
            <h2>Screens it finds</h2>
            @if (screens().length === 0) {
              <p class="soft">There is no screen yet: make one in Screens first.</p>
            }
            <div class="screens">
              @for (form of screens(); track form.id) {
                <mat-checkbox [checked]="current.screens.includes(form.id)" (change)="toggle(form)">{{
                  form.label
                }}</mat-checkbox>
              }
            </div>
          </div>
          <div class="card part" role="group" aria-label="Rows and fields">
            <h2>What it may do there</h2>
            <p class="soft">
              A screen decides first; here less can be said, never more. It holds for every road: lists,
              lookups, search and what is saved.
            </p>
            @for (table of tables(); track table.id) {
              <hr-table-limits
                [table]="table"
                [rights]="rights(table)"
                [fields]="current.fields"
                (changed)="limit($event)"
                (fieldsChanged)="set({ fields: $event })"
              />
            } @empty {
              <p class="soft">Tick a screen: the tables on it are listed here.</p>
            }
          </div>
        </div>
      </section>
    } @else {
      <hr-nothing
        text="Everybody to whom this file is open finds every screen on the Desk. A role says who finds which, and what they may do there."
      >
        <button matButton="filled" type="button" (click)="make()"><mat-icon svgIcon="add" />New role</button>
      </hr-nothing>
    }
    <hr-details>
      <hr-members />
    </hr-details>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 200px minmax(0, 1fr) 300px;
      height: 100%;
    }
    section {
      display: flex;
      flex-direction: column;
      min-height: 0;
    }
    .sheet {
      flex: 1;
      overflow: auto;
      display: grid;
      align-content: start;
      gap: 16px;
      padding: 20px;
    }
    .part {
      display: grid;
      gap: 8px;
      padding: 16px 20px;
    }
    .screens {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(min(100%, 200px), 1fr));
    }
    @media (max-width: 700px) {
      :host {
        grid-template-columns: minmax(0, 1fr);
        grid-auto-rows: max-content;
        overflow: auto;
      }
    }
  `,
})
export class PeopleComponent extends DocumentPage<RoleDefinition> {
  private readonly pages = inject(Router);
  protected override readonly speech = {
    one: 'role',
    dropped: 'it can be dropped when nobody has it; screens and rows stay as they are',
  };
  override readonly wanted = input<string | undefined>(undefined, { alias: 'role' });
  readonly role = this.document;
  /** Everything that opens on the Desk: forms, lists and boards. */
  readonly screens = computed((): readonly (Form | Board)[] => {
    const { forms, boards } = this.store.design();
    return [...forms, ...boards];
  });
  /** The tables on the screens of the role, in the order of the design. */
  readonly tables = computed((): Table[] => {
    const [design, role] = [this.store.design(), this.role()];
    const shown = new Set(
      design.forms.filter(({ id }) => role?.screens.includes(id)).flatMap((form) => tablesOn(design, form)),
    );
    const limited = new Set(role?.tables.map(({ table }) => table));
    return design.tables.filter((table) => shown.has(table) || limited.has(table.id));
  });

  all(): readonly RoleDefinition[] {
    return this.store.design().roles;
  }

  make(): void {
    this.begin({ title: 'New role', label: 'What is it called?', act: 'Begin' }, ({ name }) => ({
      type: 'role',
      id: newId('g'),
      label: name,
      screens: this.screens().map(({ id }) => id),
      tables: [],
      fields: [],
    }));
  }

  toggle({ id }: Form | Board): void {
    const { screens } = this.role()!;
    this.set({
      screens: this.screens()
        .map((form) => form.id)
        .filter((other) => (other === id ? !screens.includes(id) : screens.includes(other))),
    });
  }

  rights({ id }: Table): TableRights {
    return rightsOn(this.role()!, id);
  }

  /** Takes limits on a table; where they limit nothing, nothing is kept of them. */
  limit(rights: TableRights): void {
    const { tables } = this.role()!;
    const { read, add, change, own, conditions } = rights;
    const isLimit = !(read && add && change && rights.delete) || own || conditions.length > 0;
    this.set({
      tables: [...tables.filter(({ table }) => table !== rights.table), ...(isLimit ? [rights] : [])],
    });
  }

  /** Opens the Desk as those with this role find it. */
  look(): void {
    seeAs(this.store.file, this.role()!.id);
    void this.pages.navigate(['/desk', this.store.file]);
  }

  set(patch: Partial<RoleDefinition>): void {
    this.role.update((role) => role && { ...role, ...patch });
  }
}
