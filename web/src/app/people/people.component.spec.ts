import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { By } from '@angular/platform-browser';
import { Router } from '@angular/router';
import type { Design, RoleDefinition } from '@heathridge/core/design';
import { formFromTable } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { asRole, seeAs } from '../shared/as-role';
import { button, setUpFile } from '../testing/bench';
import { MembersComponent } from './members.component';
import { PeopleComponent } from './people.component';
import { TableLimitsComponent } from './table-limits.component';

const COUNTER: RoleDefinition = {
  type: 'role',
  id: 'g_counter',
  label: 'Counter',
  screens: ['o_loans'],
  tables: [],
  fields: [],
};
const DESIGN: Design = {
  ...OFFICE,
  forms: [
    formFromTable(OFFICE, OFFICE.tables[1]!, 'o_loans', 'Loan desk'),
    formFromTable(OFFICE, OFFICE.tables[0]!, 'o_borrowers', 'Borrowers'),
  ],
  roles: [COUNTER],
};
const MARA = { id: 'a_1', login: 'mara', name: 'Mara', role: 'builder', duty: null } as const;
const TOBIN = { id: 'a_2', login: 'tobin', name: 'Tobin', role: 'colleague', duty: 'g_counter' } as const;

describe('PeopleComponent', () => {
  let fixture: ComponentFixture<PeopleComponent>;
  let http: HttpTestingController;
  let page: HTMLElement;
  let part: PeopleComponent;

  async function open(design = DESIGN): Promise<void> {
    http = setUpFile(design);
    fixture = TestBed.createComponent(PeopleComponent);
    part = fixture.componentInstance;
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
    http.expectOne('/api/files/f_x/people').flush({ people: [MARA, TOBIN] });
    await fixture.whenStable();
  }
  const members = (): MembersComponent =>
    fixture.debugElement.query(By.directive(MembersComponent)).componentInstance as MembersComponent;
  const limits = (): TableLimitsComponent[] =>
    fixture.debugElement
      .queryAll(By.directive(TableLimitsComponent))
      .map(({ componentInstance }) => componentInstance as TableLimitsComponent);
  const tick = async (group: string, name: string): Promise<void> => {
    const found = [
      ...page.querySelectorAll<HTMLElement>(`[role="group"][aria-label="${group}"] mat-checkbox`),
    ];
    found
      .find(({ textContent }) => textContent.trim() === name)!
      .querySelector('input')!
      .click();
    await fixture.whenStable();
  };

  it('says what holds while there is no role', async () => {
    await open({ ...DESIGN, roles: [] });
    expect(page.textContent).toContain('Everybody to whom this file is open finds every screen');
    expect(
      members()
        .members()
        .map(({ name }) => name),
    ).toEqual(['Mara', 'Tobin']);
  });

  it('chooses screens, and lists the tables on them', async () => {
    await open();
    expect(limits().map(({ table }) => table().id)).toEqual(['t_loan', 't_fine']);
    await tick('Screens', 'Borrowers');
    expect(part.role()!.screens).toEqual(['o_loans', 'o_borrowers']);
    expect(limits().map(({ table }) => table().id)).toEqual(['t_borrower', 't_loan', 't_fine']);
    await tick('Screens', 'Loan desk');
    expect(part.role()!.screens).toEqual(['o_borrowers']);
  });

  it('keeps what is a limit, and nothing of what is none', async () => {
    await open();
    await tick('Fines', 'delete');
    expect(part.role()!.tables).toEqual([
      { table: 't_fine', read: true, add: true, change: true, delete: false, own: null, conditions: [] },
    ]);
    await tick('Fines', 'see');
    expect(limits()[1]!.rights().read).toBeFalse();
    await tick('Fines', 'see');
    await tick('Fines', 'delete');
    expect(part.role()!.tables).toEqual([]);
    limits()[0]!.changed.emit({ ...limits()[0]!.rights(), own: 'f_lNote' });
    await fixture.whenStable();
    expect(part.role()!.tables.map(({ table, own }) => [table, own])).toEqual([['t_loan', 'f_lNote']]);
    expect(part.dirty()).toBeTrue();
  });

  it('says of each field what may be done with it', async () => {
    await open();
    const [loan] = limits();
    expect(loan!.limitsWords()).toBe('every field');
    const fee = OFFICE.tables[1]!.fields.find(({ id }) => id === 'f_lFee')!;
    loan!.limit(fee, 'hidden');
    await fixture.whenStable();
    expect(part.role()!.fields).toEqual([{ field: 'f_lFee', people: 'hidden' }]);
    expect([loan!.may(fee), loan!.limitsWords()]).toEqual(['hidden', '1 field with less']);
    button(page, '1 field with less').click();
    await fixture.whenStable();
    expect(page.querySelectorAll('mat-button-toggle-group').length).toBe(OFFICE.tables[1]!.fields.length);
    loan!.limit(fee, 'type');
    await fixture.whenStable();
    expect(part.role()!.fields).toEqual([]);
  });

  it('opens the Desk through the eyes of a role', async () => {
    await open();
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    button(page, 'See its Desk').click();
    expect(go).toHaveBeenCalledWith(['/desk', 'f_x']);
    expect(asRole('f_x')).toBe('g_counter');
    seeAs('f_x', null);
    expect(asRole('f_x')).toBeNull();
  });

  describe('those who may open the file', () => {
    const sent = (method: string, url: string) =>
      http.expectOne((request) => request.method === method && request.url === url);

    it('are given a role, or everything, or the file to build', async () => {
      await open();
      expect([MARA, TOBIN].map((member) => members().asOf(member))).toEqual(['-builder', 'g_counter']);
      const done = members().put(TOBIN, '-everything');
      const request = sent('PUT', '/api/files/f_x/people/a_2');
      expect(request.request.body).toEqual({ role: 'colleague', duty: null });
      request.flush({ people: [MARA, { ...TOBIN, duty: null }] });
      await done;
      expect(members().members()[1]!.duty).toBeNull();
    });

    it('stay as they are where that is refused, and it is said why', async () => {
      await open();
      const done = members().put(MARA, '-everything');
      sent('PUT', '/api/files/f_x/people/a_1').flush(
        { type: '/problems/not-allowed', title: 'No', status: 403, detail: 'Nobody else builds this file.' },
        { status: 403, statusText: 'No' },
      );
      await done;
      await fixture.whenStable();
      expect(page.textContent).toContain('Nobody else builds this file.');
      expect(members().members()).toEqual([MARA, TOBIN]);
    });

    it('let somebody in who signs in already, and make an account for who does not', async () => {
      await open();
      button(page, 'Let somebody in').click();
      await fixture.whenStable();
      members().form.patchValue({ login: 'robin', as: 'g_counter' });
      const first = members().add();
      const request = sent('POST', '/api/files/f_x/people');
      expect(request.request.body).toEqual({ login: 'robin', role: 'colleague', duty: 'g_counter' });
      request.flush(
        { type: '/problems/not-found', title: 'No', status: 404, detail: 'Nobody signs in as “robin” yet.' },
        { status: 404, statusText: 'No' },
      );
      await first;
      await fixture.whenStable();
      expect(page.textContent).toContain('With a name and a first password an account is made');
      members().form.patchValue({ name: 'Robin Vale', password: 'a first password' });
      const second = members().add();
      const again = sent('POST', '/api/files/f_x/people');
      expect(again.request.body).toEqual({
        login: 'robin',
        name: 'Robin Vale',
        password: 'a first password',
        role: 'colleague',
        duty: 'g_counter',
      });
      const robin = { ...TOBIN, id: 'a_3', login: 'robin', name: 'Robin Vale' };
      again.flush({ people: [MARA, robin, TOBIN] });
      await second;
      expect(members().members().length).toBe(3);
      expect(members().adding()).toBeFalse();
    });
  });
});
