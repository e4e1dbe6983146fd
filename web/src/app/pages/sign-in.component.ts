import { Component, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatListModule } from '@angular/material/list';
import { Router } from '@angular/router';
import * as v from 'valibot';
import { Login, Password, PersonName } from '@heathridge/core/people';
import type { DemoSignIn } from '../shared/api.service';
import { bySchema, refuse } from '../shared/by-schema';
import { LineComponent } from '../shared/line.component';
import { problemOf } from '../shared/problem';
import { SessionService } from '../shared/session.service';
import { StripComponent } from '../shared/strip.component';

const filled = (says: string) => v.pipe(v.string(), v.minLength(1, says));

@Component({
  selector: 'hr-sign-in',
  imports: [LineComponent, MatButton, MatListModule, ReactiveFormsModule, StripComponent],
  template: `
    <main>
      <div class="mark"><img src="mark.svg" alt="" width="44" height="44" /><span>Heathridge</span></div>
      <form class="card" [formGroup]="form" (ngSubmit)="enter()" novalidate>
        <h1>{{ firstVisit() ? 'Create the builder’s account' : 'Sign in' }}</h1>
        @if (firstVisit()) {
          <p class="soft">Nobody has an account here yet. The first one may make files and design them.</p>
          <hr-line
            label="Your name, as colleagues see it"
            inputId="name"
            autocomplete="name"
            formControlName="name"
          />
        }
        <hr-line label="Sign-in name" inputId="login" autocomplete="username" formControlName="login" />
        <hr-line
          inputId="password"
          type="password"
          [label]="firstVisit() ? 'Password, at least 10 characters' : 'Password'"
          [autocomplete]="firstVisit() ? 'new-password' : 'current-password'"
          formControlName="password"
        />
        @if (problem()) {
          <hr-strip [text]="problem()" />
        }
        <button matButton="filled" type="submit" [disabled]="busy()">
          {{ firstVisit() ? 'Create account' : 'Sign in' }}
        </button>
      </form>
      @if (demo().length > 0) {
        <section class="card demo" aria-labelledby="demo">
          <h2 id="demo">Look around with the demo</h2>
          <p class="soft">An invented office that hires out musical instruments.</p>
          <mat-action-list>
            @for (person of demo(); track person.login) {
              <button mat-list-item type="button" [disabled]="busy()" (click)="enterAs(person)">
                <span matListItemTitle
                  ><strong>{{ person.name }}</strong
                  >&ngsp;<span class="soft">{{ person.role }}</span></span
                >
                <span matListItemMeta class="code">{{ person.login }} / {{ person.password }}</span>
              </button>
            }
          </mat-action-list>
        </section>
      }
    </main>
  `,
  styles: `
    main {
      display: grid;
      gap: 18px;
      justify-content: center;
      grid-template-columns: 420px;
      padding: 64px 16px;
    }
    .mark {
      display: flex;
      align-items: center;
      gap: 12px;
      font-size: 1.85714rem;
      font-weight: 700;
    }
    .card {
      display: grid;
      gap: 14px;
      padding: 22px;
    }
    form [matButton] {
      justify-self: start;
    }
  `,
})
export class SignInComponent {
  private readonly session = inject(SessionService);
  private readonly router = inject(Router);
  /** Where to go afterwards. */
  readonly to = input<string>();
  readonly firstVisit = signal(false);
  readonly demo = signal<readonly DemoSignIn[]>([]);
  readonly problem = signal('');
  readonly busy = signal(false);
  readonly form = new FormGroup({
    name: new FormControl('', { nonNullable: true }),
    login: new FormControl('', { nonNullable: true }),
    password: new FormControl('', { nonNullable: true }),
  });

  constructor() {
    this.session
      .load()
      .pipe(takeUntilDestroyed())
      .subscribe({
        next: ({ firstVisit, demo }) => {
          this.firstVisit.set(firstVisit);
          this.demo.set(demo);
        },
        error: (error: unknown) => this.problem.set(problemOf(error).detail),
      });
  }

  /** Who makes an account is told what it needs; who signs in, only what is missing. */
  private ask(isNew: boolean): void {
    const { name, login, password } = this.form.controls;
    name.setValidators(isNew ? bySchema(PersonName) : null);
    login.setValidators(bySchema(isNew ? Login : filled('Which sign-in name?')));
    password.setValidators(bySchema(isNew ? Password : filled('Which password?')));
    for (const control of [name, login, password]) control.updateValueAndValidity();
  }

  enterAs({ login, password }: DemoSignIn): void {
    this.form.patchValue({ login, password });
    this.enter();
  }

  enter(): void {
    this.problem.set('');
    this.ask(this.firstVisit());
    this.form.markAllAsTouched();
    if (this.form.invalid) return;
    const { login, name, password } = this.form.getRawValue();
    this.busy.set(true);
    const request = this.firstVisit()
      ? this.session.create(login, name, password)
      : this.session.signIn(login, password);
    request.subscribe({
      next: () => void this.router.navigateByUrl(this.to() ?? '/files'),
      error: (error: unknown) => {
        const { type, detail } = problemOf(error);
        // Whose name is taken is said beside the name.
        if (type === 'name-taken') refuse(this.form.controls.login, detail);
        else this.problem.set(detail);
        this.busy.set(false);
      },
    });
  }
}
