import { Component, inject, input, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { MatListModule } from '@angular/material/list';
import { Router } from '@angular/router';
import type { DemoSignIn } from '../shared/api.service';
import { problemOf } from '../shared/problem';
import { SessionService } from '../shared/session.service';

@Component({
  selector: 'hr-sign-in',
  imports: [MatButtonModule, ReactiveFormsModule, MatIconModule, MatListModule],
  template: `
    <main>
      <div class="mark"><img src="mark.svg" alt="" width="44" height="44" /><span>Heathridge</span></div>
      <form class="card" [formGroup]="form" (ngSubmit)="enter()">
        <h1>{{ firstVisit() ? 'Create the builder’s account' : 'Sign in' }}</h1>
        @if (firstVisit()) {
          <p class="soft">Nobody has an account here yet. The first one may make files and design them.</p>
          <div class="field">
            <label for="name">Your name, as colleagues see it</label>
            <input id="name" class="input" formControlName="name" autocomplete="name" />
          </div>
        }
        <div class="field">
          <label for="login">Sign-in name</label>
          <input id="login" class="input" formControlName="login" autocomplete="username" />
        </div>
        <div class="field">
          <label for="password">Password{{ firstVisit() ? ', at least 10 characters' : '' }}</label>
          <input
            id="password"
            class="input"
            type="password"
            formControlName="password"
            [autocomplete]="firstVisit() ? 'new-password' : 'current-password'"
          />
        </div>
        @if (problem()) {
          <p class="message row" role="alert"><mat-icon svgIcon="error" />{{ problem() }}</p>
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

  enterAs({ login, password }: DemoSignIn): void {
    this.form.patchValue({ login, password });
    this.enter();
  }

  enter(): void {
    const { login, name, password } = this.form.getRawValue();
    this.busy.set(true);
    const request = this.firstVisit()
      ? this.session.create(login, name, password)
      : this.session.signIn(login, password);
    request.subscribe({
      next: () => void this.router.navigateByUrl(this.to() ?? '/files'),
      error: (error: unknown) => {
        this.problem.set(problemOf(error).detail);
        this.busy.set(false);
      },
    });
  }
}
