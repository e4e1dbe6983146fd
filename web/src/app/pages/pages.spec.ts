import { TestBed } from '@angular/core/testing';
import { MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import { firstValueFrom } from 'rxjs';
import type { HttpTestingController } from '@angular/common/http/testing';
import { button, setUp } from '../testing/bench';
import { FilesComponent } from './files.component';
import { SessionService } from '../shared/session.service';
import { SignInComponent } from './sign-in.component';

const MARA = { login: 'mara', password: 'quill-and-bow', name: 'Mara Ashdown', role: 'builder' };
const PERSON = { id: 'a_1', login: 'mara', name: 'Mara Ashdown', maker: true };

describe('SignInComponent', () => {
  let http: HttpTestingController;

  async function show(session: object): Promise<{ page: HTMLElement; settle: () => Promise<void> }> {
    http = setUp();
    const fixture = TestBed.createComponent(SignInComponent);
    http.expectOne('/api/session').flush(session);
    await fixture.whenStable();
    return {
      page: fixture.nativeElement as HTMLElement,
      settle: () => fixture.whenStable().then(() => undefined),
    };
  }

  it('offers both demo people and signs in with one press', async () => {
    const { page } = await show({ person: null, firstVisit: false, demo: [MARA] });
    const go = spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    page.querySelector<HTMLButtonElement>('.person')!.click();
    const request = http.expectOne({ method: 'POST', url: '/api/session' });
    expect(request.request.body).toEqual({ login: 'mara', password: 'quill-and-bow' });
    request.flush({ person: PERSON });
    expect(go).toHaveBeenCalledWith('/files');
  });

  it('says that the sign-in was wrong and keeps what was typed', async () => {
    const { page, settle } = await show({ person: null, firstVisit: false, demo: [] });
    const login = page.querySelector<HTMLInputElement>('#login')!;
    login.value = 'nobody';
    login.dispatchEvent(new Event('input'));
    button(page, 'Sign in').click();
    http
      .expectOne({ method: 'POST', url: '/api/session' })
      .flush({ detail: 'This name and password do not go together.' }, { status: 401, statusText: 'x' });
    await settle();
    expect(page.querySelector('[role="alert"]')!.textContent).toContain('do not go together');
    expect(login.value).toBe('nobody');
    expect(button(page, 'Sign in').disabled).toBeFalse();
  });

  it('creates the builder’s account on a first visit', async () => {
    const { page } = await show({ person: null, firstVisit: true, demo: [] });
    expect(page.querySelector('h1')!.textContent).toContain('Create the builder’s account');
    button(page, 'Create account').click();
    http.expectOne({ method: 'POST', url: '/api/accounts' });
  });
});

describe('FilesComponent', () => {
  async function show(files: object[] | null): Promise<HTMLElement> {
    const http = setUp();
    const fixture = TestBed.createComponent(FilesComponent);
    const request = http.expectOne('/api/files');
    if (files) request.flush({ files });
    else request.flush({ detail: 'No.' }, { status: 500, statusText: 'x' });
    await fixture.whenStable();
    return fixture.nativeElement as HTMLElement;
  }

  it('lists files with when they last changed and how large they are', async () => {
    const page = await show([
      {
        id: 'f_1',
        name: 'Quillbrook hire',
        role: 'builder',
        changedAt: '2026-11-25T09:30:00Z',
        size: 1_234_567,
      },
      { id: 'f_2', name: '<b>Other</b>', role: 'colleague', changedAt: '2026-11-25T09:30:00Z', size: 10 },
    ]);
    expect(page.textContent).toContain('1.2 MB');
    expect(page.textContent).toContain('25 Nov 2026');
    expect(page.textContent).toContain('<b>Other</b>');
    const links = [...page.querySelectorAll<HTMLAnchorElement>('a.name')].map((link) =>
      link.getAttribute('href'),
    );
    expect(links).toEqual(['/file/f_1', '/desk/f_2']);
    expect(page.querySelectorAll('a[aria-label^="Design"]').length).toBe(1);
  });

  it('says what to do when there is none, and when they cannot be read', async () => {
    expect((await show([])).textContent).toContain('No file is open to you yet');
    TestBed.resetTestingModule();
    expect((await show(null)).textContent).toContain('The files could not be read.');
  });

  it('asks in which encoding texts were written, and takes the file in like that', async () => {
    const http = setUp();
    TestBed.inject(SessionService).load().subscribe();
    http.expectOne('/api/session').flush({ person: PERSON, firstVisit: false, demo: [] });
    const fixture = TestBed.createComponent(FilesComponent);
    http.expectOne('/api/files').flush({ files: [] });
    await fixture.whenStable();
    spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    const input = fixture.nativeElement.querySelector('#take-in') as HTMLInputElement;
    const files = new DataTransfer();
    files.items.add(new File([new Uint8Array(3)], 'guests.db'));
    input.files = files.files;
    input.dispatchEvent(new Event('change'));
    const readings = {
      'windows-1252': 'Zoé',
      'iso-8859-15': 'Zoé',
      'windows-1250': 'Zoé',
      'windows-1251': 'Zoй',
    };
    const unread = [{ table: 'guest', column: 'name', rows: 8, sample: [{ row: '2', readings }] }];
    http
      .expectOne('/api/files/adopt?name=guests')
      .flush({ type: '/problems/unread-text', detail: 'No.', unread }, { status: 422, statusText: 'x' });
    await fixture.whenStable();
    const dialog = document.querySelector('mat-dialog-container') as HTMLElement;
    expect(dialog.textContent).toContain('8 texts in guests are not written in UTF-8');
    expect(dialog.textContent).toContain('and 7 more');
    expect(dialog.querySelector('td strong')!.textContent).toBe('Zoé');
    const radios = [...dialog.querySelectorAll<HTMLInputElement>('input[type="radio"]')];
    radios.at(-1)!.click();
    await fixture.whenStable();
    expect(dialog.querySelector('td strong')!.textContent).toBe('Zoй');
    button(dialog, 'Take it in like this').click();
    // The dialog says what was chosen once it has gone.
    await firstValueFrom(TestBed.inject(MatDialog).openDialogs[0]!.afterClosed());
    await fixture.whenStable();
    const again = http.expectOne('/api/files/adopt?name=guests&encoding=windows-1251');
    expect((again.request.body as File).name).toBe('guests.db');
    again.flush({ id: 'f_1', notes: [] });
  });
});
