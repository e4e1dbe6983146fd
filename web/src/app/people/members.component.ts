import { Component, computed, inject, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIconModule } from '@angular/material/icon';
import { firstValueFrom } from 'rxjs';
import { Login } from '@heathridge/core/people';
import { FileStore } from '../file/file.store';
import { Api, type Member } from '../shared/api.service';
import { bySchema } from '../shared/by-schema';
import { ConfirmDialog, type Confirmation } from '../shared/confirm.dialog';
import { LineComponent } from '../shared/line.component';
import { problemOf } from '../shared/problem';
import { SelectComponent, type Option } from '../shared/select.component';
import { StripComponent } from '../shared/strip.component';
import { Toast } from '../shared/toast.service';

/** What somebody is without a role: neither is an id of one. */
const [BUILDER, EVERYTHING] = ['-builder', '-everything'];

const standing = (as: string): Pick<Member, 'role' | 'duty'> => ({
  role: as === BUILDER ? 'builder' : 'colleague',
  duty: as === BUILDER || as === EVERYTHING ? null : as,
});

/** The people to whom a file is open, each with what they find there; and how somebody else is let in. */
@Component({
  selector: 'hr-members',
  imports: [
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    ReactiveFormsModule,
    SelectComponent,
    StripComponent,
  ],
  template: `
    <h2>Who may open this file</h2>
    @for (member of members(); track member.id) {
      <div class="member" role="group" [attr.aria-label]="member.name">
        <span class="cut" dir="auto"
          ><strong>{{ member.name }}</strong> <span class="login soft small">{{ member.login }}</span></span
        >
        <button
          matIconButton
          type="button"
          [attr.aria-label]="'Close the file to ' + member.name"
          (click)="close(member)"
        >
          <mat-icon svgIcon="close" />
        </button>
        <hr-select
          class="as"
          [about]="'What ' + member.name + ' is here'"
          [options]="standings()"
          [value]="asOf(member)"
          (changed)="put(member, $event)"
        />
      </div>
    }
    @if (problem()) {
      <hr-strip [text]="problem()" />
    }
    @if (adding()) {
      <form class="adding" [formGroup]="form" (ngSubmit)="add()">
        <hr-line label="Signs in as" formControlName="login" [code]="true" />
        <hr-select label="Finds on the Desk" formControlName="as" [options]="standings()" />
        @if (isNew()) {
          <p class="soft small">
            Nobody signs in so yet. With a name and a first password an account is made.
          </p>
          <hr-line label="Name, as colleagues see it" most="60" formControlName="name" />
          <hr-line label="First password, 10 characters or more" formControlName="password" />
        }
        <div class="row">
          <button matButton="outlined" type="button" (click)="stop()">Cancel</button>
          <button matButton="filled" type="submit" [disabled]="busy()">Let in</button>
        </div>
      </form>
    } @else {
      <button matButton="outlined" type="button" (click)="adding.set(true)">
        <mat-icon svgIcon="add" />Let somebody in
      </button>
    }
  `,
  styles: `
    :host {
      display: grid;
      width: 100%;
      gap: 12px;
    }
    .member {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      align-items: center;
    }
    .login {
      margin-inline-start: 6px;
    }
    .as {
      grid-column: 1 / -1;
    }
    .adding {
      display: grid;
      gap: 10px;
    }
  `,
})
export class MembersComponent {
  private readonly api = inject(Api);
  private readonly store = inject(FileStore);
  private readonly dialog = inject(MatDialog);
  private readonly toast = inject(Toast);
  readonly members = signal<readonly Member[]>([]);
  readonly problem = signal('');
  readonly adding = signal(false);
  readonly busy = signal(false);
  /** Set when nobody signs in under the name that was typed. */
  readonly isNew = signal(false);
  readonly form = new FormGroup({
    login: new FormControl('', { nonNullable: true, validators: bySchema(Login) }),
    as: new FormControl(EVERYTHING as string, { nonNullable: true }),
    name: new FormControl('', { nonNullable: true }),
    password: new FormControl('', { nonNullable: true }),
  });
  readonly standings = computed((): Option[] => [
    { id: BUILDER!, label: 'builds this file' },
    { id: EVERYTHING!, label: 'everything on the Desk' },
    ...this.store.design().roles.map(({ id, label }) => ({ id, label, group: 'Roles' })),
  ]);

  constructor() {
    this.api.people(this.store.file).subscribe({
      next: ({ people }) => this.members.set(people),
      error: (error: unknown) => this.problem.set(problemOf(error).detail),
    });
  }

  asOf({ role, duty }: Member): string {
    return role === 'builder' ? BUILDER! : (duty ?? EVERYTHING!);
  }

  async put(member: Member, as: string): Promise<void> {
    await this.done(this.api.putMember(this.store.file, member.id, standing(as)));
  }

  async close(member: Member): Promise<void> {
    const data: Confirmation = {
      title: `Close this file to ${member.name}?`,
      text: 'What has been entered so far stays, with its history.',
      act: 'Close it',
      stay: 'Leave it open',
      danger: true,
    };
    const sure = await firstValueFrom(
      this.dialog.open<ConfirmDialog, Confirmation, boolean>(ConfirmDialog, { data }).afterClosed(),
    );
    if (sure) await this.done(this.api.dropMember(this.store.file, member.id));
  }

  /** Lets somebody in; who has no account is asked for what one is made of. */
  async add(): Promise<void> {
    this.form.markAllAsTouched();
    if (this.form.invalid) return;
    const { login, as, name, password } = this.form.getRawValue();
    const account = this.isNew() ? { name, password } : {};
    this.busy.set(true);
    const problem = await this.done(
      this.api.addMember(this.store.file, { login, ...account, ...standing(as) }),
    );
    this.busy.set(false);
    if (problem === null) {
      this.toast.say(`The file is open to ${name || login}.`);
      this.stop();
    } else if (problem === 'not-found' && !this.isNew()) {
      this.problem.set('');
      this.isNew.set(true);
    }
  }

  stop(): void {
    this.problem.set('');
    this.adding.set(false);
    this.isNew.set(false);
    this.form.reset();
  }

  /** Takes who may open the file now; what was refused is said, and its kind given. */
  private async done(work: ReturnType<Api['people']>): Promise<string | null> {
    try {
      const { people } = await firstValueFrom(work);
      this.members.set(people);
      this.problem.set('');
      return null;
    } catch (error) {
      const problem = problemOf(error);
      this.problem.set(problem.detail);
      // What was chosen and refused gives way to what holds.
      this.members.update((all) => all.map((member) => ({ ...member })));
      return problem.type.split('/').at(-1) ?? '';
    }
  }
}
