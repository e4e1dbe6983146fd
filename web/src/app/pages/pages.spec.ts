import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MatSortHeaderHarness } from '@angular/material/sort/testing';
import { MatActionListItemHarness } from '@angular/material/list/testing';
import { MatMenuHarness } from '@angular/material/menu/testing';
import { MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import { firstValueFrom } from 'rxjs';
import type { HttpTestingController } from '@angular/common/http/testing';
import { button, setUp } from '../testing/bench';
import { FilesComponent } from './files.component';
import { AccountMenuComponent } from '../shared/account-menu.component';
import { SessionService } from '../shared/session.service';
import { SignInComponent } from './sign-in.component';

const MARA = { login: 'mara', password: 'quill-and-bow', name: 'Mara Ashdown', role: 'builder' };
const PERSON = {
  id: 'a_1',
  login: 'mara',
  name: 'Mara Ashdown',
  maker: true,
  look: { colours: 'system', size: 'usual' },
};

function type(page: HTMLElement, selector: string, text: string): void {
  const line = page.querySelector<HTMLInputElement>(selector)!;
  line.value = text;
  line.dispatchEvent(new Event('input'));
  line.dispatchEvent(new Event('blur'));
}

describe('SignInComponent', () => {
  let http: HttpTestingController;

  async function show(session: object): Promise<{
    fixture: ComponentFixture<SignInComponent>;
    page: HTMLElement;
    settle: () => Promise<void>;
  }> {
    http = setUp();
    const fixture = TestBed.createComponent(SignInComponent);
    http.expectOne('/api/session').flush(session);
    await fixture.whenStable();
    return {
      fixture,
      page: fixture.nativeElement as HTMLElement,
      settle: () => fixture.whenStable().then(() => undefined),
    };
  }

  it('offers both demo people and signs in with one press', async () => {
    const { fixture } = await show({ person: null, firstVisit: false, demo: [MARA] });
    const go = spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    const people = TestbedHarnessEnvironment.loader(fixture);
    await (await people.getHarness(MatActionListItemHarness.with({ text: /Mara Ashdown/ }))).click();
    const request = http.expectOne({ method: 'POST', url: '/api/session' });
    expect(request.request.body).toEqual({ login: 'mara', password: 'quill-and-bow' });
    request.flush({ person: PERSON });
    expect(go).toHaveBeenCalledWith('/files');
  });

  it('says that the sign-in was wrong and keeps what was typed', async () => {
    const { page, settle } = await show({ person: null, firstVisit: false, demo: [] });
    const login = page.querySelector<HTMLInputElement>('#login')!;
    type(page, '#login', 'nobody');
    button(page, 'Sign in').click();
    await settle();
    // What is missing is said beside it, before anybody is asked.
    expect(page.querySelector('mat-error')!.textContent).toContain('Which password?');
    http.expectNone({ method: 'POST', url: '/api/session' });
    type(page, '#password', 'wrong-key');
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
    const { page, settle } = await show({ person: null, firstVisit: true, demo: [] });
    expect(page.querySelector('h1')!.textContent).toContain('Create the builder’s account');
    type(page, '#login', 'm!');
    type(page, '#password', 'short');
    button(page, 'Create account').click();
    await settle();
    const says = (): string[] =>
      [...page.querySelectorAll('mat-error')].map((item) => item.textContent.trim());
    expect(says()).toEqual([
      'Please give your name: colleagues see it beside your changes.',
      'A sign-in name has 2 to 60 letters, digits or . _ @ + -',
      'A password has at least 10 characters.',
    ]);
    http.expectNone({ method: 'POST', url: '/api/accounts' });
    type(page, '#name', 'Mara');
    type(page, '#login', 'mara');
    type(page, '#password', 'quill-and-bow');
    await settle();
    expect(says()).toEqual([]);
    button(page, 'Create account').click();
    const request = http.expectOne({ method: 'POST', url: '/api/accounts' });
    request.flush(
      { type: '/problems/name-taken', detail: 'Somebody signs in as “mara” already.' },
      { status: 409, statusText: 'x' },
    );
    await settle();
    // The server’s word stands where the form’s own do, until something else is typed.
    expect(says()).toEqual(['Somebody signs in as “mara” already.']);
    type(page, '#login', 'mara2');
    await settle();
    expect(says()).toEqual([]);
  });
});

describe('FilesComponent', () => {
  let shown: ComponentFixture<FilesComponent>;

  async function show(files: object[] | null): Promise<HTMLElement> {
    const http = setUp();
    const fixture = TestBed.createComponent(FilesComponent);
    shown = fixture;
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
    const links = [...page.querySelectorAll<HTMLAnchorElement>('tbody td:first-of-type a')].map((link) =>
      link.getAttribute('href'),
    );
    expect(links).toEqual(['/file/f_1', '/desk/f_2']);
    expect(page.querySelectorAll('a[aria-label^="Design"]').length).toBe(1);
  });

  it('lists them in the order of a column that is pressed, and back', async () => {
    const file = (name: string, changedAt: string, size: number): object => ({
      id: `f_${name}`,
      name,
      role: 'builder',
      changedAt,
      size,
    });
    const page = await show([
      file('File 10', '2026-11-02T09:30:00Z', 5),
      file('File 9', '2026-11-03T09:30:00Z', 7),
      file('another', '2026-11-01T09:30:00Z', 6),
    ]);
    const names = (): string[] =>
      [...page.querySelectorAll('tbody td:first-of-type a')].map((link) => link.textContent);
    const loader = TestbedHarnessEnvironment.documentRootLoader(shown);
    const press = async (label: string): Promise<void> =>
      (await loader.getHarness(MatSortHeaderHarness.with({ label }))).click();
    await press('Name');
    expect(names()).toEqual(['another', 'File 9', 'File 10']);
    await press('Name');
    expect(names()).toEqual(['File 10', 'File 9', 'another']);
    await press('Size');
    expect(names()).toEqual(['File 10', 'another', 'File 9']);
    await press('Last changed');
    expect(names()).toEqual(['another', 'File 10', 'File 9']);
    await press('Last changed');
    await press('Last changed');
    expect(names()).toEqual(['File 10', 'File 9', 'another']);
  });

  it('says what to do when there is none, and when they cannot be read', async () => {
    expect((await show([])).textContent).toContain('No file is open to you yet');
    TestBed.resetTestingModule();
    expect((await show(null)).textContent).toContain('The files could not be read.');
  });

  it('takes a data package in, and opens the file that it makes', async () => {
    const http = setUp();
    TestBed.inject(SessionService).load().subscribe();
    http.expectOne('/api/session').flush({ person: PERSON, firstVisit: false, demo: [] });
    const fixture = TestBed.createComponent(FilesComponent);
    http.expectOne('/api/files').flush({ files: [] });
    await fixture.whenStable();
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    const input = (fixture.nativeElement as HTMLElement).querySelector<HTMLInputElement>('#take-in')!;
    const files = new DataTransfer();
    files.items.add(new File([new Uint8Array(3)], 'Quillbrook hire.zip'));
    input.files = files.files;
    input.dispatchEvent(new Event('change'));
    await fixture.whenStable();
    const sent = http.expectOne(({ url }) => url === '/api/files/package');
    expect(sent.request.params.get('name')).toBe('Quillbrook hire');
    sent.flush({ id: 'f_new', rows: 12 });
    await firstValueFrom(TestBed.inject(MatDialog).openDialogs[0]!.afterClosed());
    expect(go).toHaveBeenCalledWith(['/file', 'f_new']);
  });

  describe('taking a file in', () => {
    let http: HttpTestingController;
    let settle: () => Promise<unknown>;
    const dialog = (): HTMLElement => document.querySelector('mat-dialog-container')!;
    const sent = (query: string) =>
      http.expectOne((request) =>
        request.urlWithParams.startsWith(`/api/files/adopt?name=guests${query}&watch=`),
      );
    const gone = (): Promise<unknown> =>
      firstValueFrom(TestBed.inject(MatDialog).openDialogs[0]!.afterClosed());

    beforeEach(async () => {
      http = setUp();
      TestBed.inject(SessionService).load().subscribe();
      http.expectOne('/api/session').flush({ person: PERSON, firstVisit: false, demo: [] });
      const fixture = TestBed.createComponent(FilesComponent);
      settle = () => fixture.whenStable();
      http.expectOne('/api/files').flush({ files: [] });
      await settle();
      spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
      const input = fixture.nativeElement.querySelector('#take-in') as HTMLInputElement;
      const files = new DataTransfer();
      files.items.add(new File([new Uint8Array(3)], 'guests.db'));
      input.files = files.files;
      input.dispatchEvent(new Event('change'));
      await settle();
    });

    it('asks in which encoding texts were written, and takes the file in like that', async () => {
      const readings = {
        'windows-1252': 'Zoé',
        'iso-8859-15': 'Zoé',
        'windows-1250': 'Zoé',
        'windows-1251': 'Zoй',
      };
      const unread = [{ table: 'guest', column: 'name', rows: 8, sample: [{ row: '2', readings }] }];
      const closed = gone();
      sent('').flush(
        { type: '/problems/unread-text', detail: 'No.', unread },
        { status: 422, statusText: 'x' },
      );
      await closed;
      await settle();
      expect(dialog().textContent).toContain('8 texts in guests are not written in UTF-8');
      expect(dialog().textContent).toContain('and 7 more');
      expect(dialog().querySelector('tbody tr td:last-of-type')!.textContent).toBe('Zoé');
      const radios = [...dialog().querySelectorAll<HTMLInputElement>('input[type="radio"]')];
      radios.at(-1)!.click();
      await settle();
      expect(dialog().querySelector('tbody tr td:last-of-type')!.textContent).toBe('Zoй');
      const chosen = gone();
      button(dialog(), 'Take it in like this').click();
      // The dialog says what was chosen once it has gone.
      await chosen;
      await settle();
      const again = sent('&encoding=windows-1251');
      expect((again.request.body as File).name).toBe('guests.db');
      again.flush({ id: 'f_1', notes: [], tables: [] });
    });

    it('says how far it is, and is stopped', async () => {
      const request = sent('');
      const watch = request.request.params.get('watch')!;
      let asked = http.match(`/api/taking-in/${watch}`);
      while (asked.length === 0) {
        await new Promise((resolve) => setTimeout(resolve, 50));
        asked = http.match(`/api/taking-in/${watch}`);
      }
      asked.at(-1)!.flush({ progress: { step: 2, of: 8, what: 'Copying guest' } });
      await settle();
      expect(dialog().textContent).toContain('Copying guest …');
      expect(dialog().textContent).toContain('Step 3 of 8');
      const closed = gone();
      button(dialog(), 'Stop').click();
      await closed;
      expect(request.cancelled).toBeTrue();
    });

    it('keeps why it was refused until that was read', async () => {
      sent('').flush({ detail: 'guest has 301 columns.' }, { status: 422, statusText: 'x' });
      await settle();
      expect(dialog().querySelector('[role="alert"]')!.textContent).toContain('guest has 301 columns.');
      expect(dialog().textContent).toContain('Nothing was changed');
      button(dialog(), 'Close').click();
    });

    it('shows what was compared, and what is otherwise now', async () => {
      const closed = gone();
      const tables = [
        { table: 'guest', from: 'guest', there: 1200, here: 1200, compared: 3600 },
        { table: 'n_hr_log', from: 'hr_log', there: 1, here: 1, compared: 2 },
      ];
      sent('').flush({ id: 'f_1', notes: ['guest had no key.'], tables });
      await closed;
      await settle();
      const text = dialog().textContent.replace(/\s+/g, ' ');
      expect(text).toContain('1,201 rows in 2 tables are here; 3,602 values were compared one by one');
      expect(text).toContain('guest had no key.');
      expect(text).toContain('n_hr_log was hr_log');
      button(dialog(), 'Go to its plan').click();
    });
  });
});

describe('how the pages look', () => {
  const { documentElement: root } = document;
  afterEach(() => {
    root.removeAttribute('data-look');
    root.removeAttribute('data-size');
  });

  async function show(): Promise<{ menu: MatMenuHarness; http: HttpTestingController }> {
    const http = setUp();
    const fixture = TestBed.createComponent(AccountMenuComponent);
    TestBed.inject(SessionService).load().subscribe();
    http.expectOne('/api/session').flush({ person: PERSON, firstVisit: false, demo: [] });
    await fixture.whenStable();
    return { menu: await TestbedHarnessEnvironment.loader(fixture).getHarness(MatMenuHarness), http };
  }

  it('is chosen in the menu, seen at once and kept for whoever chose it', async () => {
    const { menu, http } = await show();
    expect([root.dataset['look'], root.dataset['size']]).toEqual(['system', 'usual']);
    await menu.open();
    await menu.clickItem({ text: /^Colours/ }, { text: 'dark' });
    const dark = http.expectOne({ method: 'PUT', url: '/api/session/look' });
    expect(dark.request.body).toEqual({ colours: 'dark', size: 'usual' });
    dark.flush(dark.request.body as object);
    expect(root.dataset['look']).toBe('dark');
    await menu.open();
    await menu.clickItem({ text: /^Size/ }, { text: 'large' });
    const large = http.expectOne({ method: 'PUT', url: '/api/session/look' });
    expect(large.request.body).toEqual({ colours: 'dark', size: 'large' });
    large.flush(large.request.body as object);
    expect(root.dataset['size']).toBe('large');
  });

  it('says which is chosen', async () => {
    const { menu } = await show();
    await menu.open();
    const [colours] = await menu.getItems({ text: /^Colours/ });
    const options = await (await colours!.getSubmenu())!;
    await options.open();
    const chosen = await Promise.all(
      (await options.getItems()).map(async (item) => (await item.host()).getAttribute('aria-checked')),
    );
    expect(chosen).toEqual(['true', 'false', 'false']);
  });
});
