import { DOCUMENT } from '@angular/common';
import { computed, effect, inject, Injectable, signal } from '@angular/core';
import { Router, type CanActivateFn } from '@angular/router';
import { firstValueFrom, map, tap } from 'rxjs';
import { Api, type Look, type Person, type SessionInfo } from './api.service';
import { Toast } from './toast.service';

/** Who is signed in. */
@Injectable({ providedIn: 'root' })
export class SessionService {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly toast = inject(Toast);
  private readonly info = signal<SessionInfo | null>(null);

  readonly person = computed(() => this.info()?.person ?? null);
  readonly initials = computed(() =>
    (this.person()?.name ?? '')
      .split(/\s+/)
      .map((word) => word.charAt(0))
      .join('')
      .slice(0, 2)
      .toUpperCase(),
  );

  /** How the pages look to this person; as the system has it while nobody is signed in. */
  readonly look = computed<Look>(() => this.person()?.look ?? { colours: 'system', size: 'usual' });

  constructor() {
    const { documentElement } = inject(DOCUMENT);
    effect(() => {
      const { colours, size } = this.look();
      documentElement.setAttribute('data-look', colours);
      documentElement.setAttribute('data-size', size);
    });
  }

  /** Takes another look at once, and keeps it for every browser. */
  setLook(look: Look): void {
    const { person } = this.info() ?? {};
    if (!person) return;
    this.info.update((info) => info && { ...info, person: { ...person, look } });
    this.api.keepLook(look).subscribe({ error: (error: unknown) => this.toast.problem(error) });
  }

  load = () => this.api.session().pipe(tap((info) => this.info.set(info)));

  signIn(login: string, password: string) {
    return this.api.signIn(login, password).pipe(tap(({ person }) => this.entered(person)));
  }

  create(login: string, name: string, password: string) {
    return this.api.createAccount(login, name, password).pipe(tap(({ person }) => this.entered(person)));
  }

  async signOut(): Promise<void> {
    await firstValueFrom(this.api.signOut());
    this.info.set(null);
    await this.router.navigateByUrl('/sign-in');
  }

  private entered(person: Person): void {
    this.info.set({ person, firstVisit: false, demo: [] });
  }
}

/** Lets nobody in who is not signed in, and comes back afterwards. */
export const signedIn: CanActivateFn = (_, state) => {
  const [session, router] = [inject(SessionService), inject(Router)];
  if (session.person()) return true;
  return session
    .load()
    .pipe(
      map(
        ({ person }) =>
          person !== null || router.createUrlTree(['/sign-in'], { queryParams: { to: state.url } }),
      ),
    );
};
