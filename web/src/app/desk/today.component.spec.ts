import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { Router } from '@angular/router';
import { Subject } from 'rxjs';
import { emptyDesign } from '@heathridge/core/design';
import { button, setUp } from '../testing/bench';
import { DeskLine } from './desk-news.service';
import { DeskStore } from './desk.store';
import { RecordDrafts, type RecordDraft } from './record-drafts.service';
import { TodayComponent } from './today.component';

const EMPTY = { key: null, deleted: false, was: {}, held: {} };
const draft = (screen: string, key: RecordDraft['key'], at: string): RecordDraft => ({
  screen,
  key,
  title: key ? `Loan ${key.join()}` : 'New loan',
  at,
  kept: {
    record: { ...EMPTY, held: { f_lNote: { value: 'half' } }, was: { f_lNote: { value: null } } },
    children: [],
  },
});

describe('TodayComponent', () => {
  let http: HttpTestingController;
  /** What others do meanwhile. */
  let heard: Subject<unknown>;
  let fixture: ComponentFixture<TodayComponent>;
  let page: HTMLElement;
  let drafts: RecordDrafts;

  beforeEach(() => {
    localStorage.clear();
    heard = new Subject();
    http = setUp([DeskStore, { provide: DeskLine, useValue: { all: heard } }]);
    drafts = TestBed.inject(RecordDrafts);
    const desk = TestBed.inject(DeskStore);
    desk.open('f_x');
    http.expectOne('/api/files/f_x/desk').flush({
      name: 'X',
      role: 'builder',
      settings: emptyDesign().settings,
      today: '2026-11-25',
      boards: [],
      screens: [
        { id: 'o_loans', label: 'Loans', shows: 'record', adds: true, one: 'Loan', many: 'Loans' },
        { id: 'o_late', label: 'Late', shows: 'list', adds: true, one: 'Loan', many: 'Loans' },
      ],
    });
  });
  afterEach(() => localStorage.clear());

  async function open(answer: object): Promise<void> {
    fixture = TestBed.createComponent(TodayComponent);
    page = fixture.nativeElement as HTMLElement;
    await fixture.whenStable();
    http.expectOne('/api/files/f_x/desk/worked').flush(answer);
    http.expectOne('/api/files/f_x/desk/watches').flush({ watches: [] });
    await fixture.whenStable();
  }
  const text = (): string => page.textContent.replace(/\s+/g, ' ');

  it('says how many rows a list has that is watched, and counts anew when somebody has changed something', async () => {
    jasmine.clock().install();
    fixture = TestBed.createComponent(TodayComponent);
    page = fixture.nativeElement as HTMLElement;
    fixture.detectChanges();
    http.expectOne('/api/files/f_x/desk/worked').flush({ records: [], draft: null });
    http.expectOne('/api/files/f_x/desk/watches').flush({ watches: [{ screen: 'o_late', count: 1234 }] });
    fixture.detectChanges();
    const [loans, late] = [...page.querySelectorAll('a')].filter((link) =>
      /^(Loans|Late)/.test(link.textContent),
    );
    expect(late!.textContent).toMatch(/^\s*Late\s*1,234\s*a list of\s+loans\s*$/);
    expect(late!.getAttribute('href')).toBe('/desk/f_x/list/o_late');
    expect(loans!.textContent).not.toMatch(/\d/);
    // Of many changes at once it counts once.
    for (let i = 0; i < 5; i++) heard.next({ own: false, by: 'Mara', tables: ['t_loan'], design: false });
    http.expectNone('/api/files/f_x/desk/watches');
    jasmine.clock().tick(5001);
    http.expectOne('/api/files/f_x/desk/watches').flush({ watches: [{ screen: 'o_late', count: 7 }] });
    fixture.detectChanges();
    expect(late!.textContent).toContain('7');
    jasmine.clock().uninstall();
  });

  it('lists what was worked on, with the way there', async () => {
    const record = {
      screen: 'o_loans',
      key: [1000],
      title: 'Ada Quill',
      at: '2026-11-25T09:05:30Z',
      added: true,
    };
    await open({ records: [record], draft: null });
    expect(text()).toContain('Ada Quill');
    expect(text()).toContain('Loans · added 25 Nov 2026 09:05');
    const link = page.querySelector<HTMLAnchorElement>('mat-nav-list a')!;
    expect(decodeURIComponent(link.getAttribute('href')!)).toBe('/desk/f_x/screen/o_loans?key=[1000]');
    expect(text()).not.toContain('Not finished');
  });

  it('says that there is nothing yet, and what went wrong', async () => {
    await open({ records: [], draft: null });
    expect(text()).toContain('Nothing yet.');
    fixture = TestBed.createComponent(TodayComponent);
    await fixture.whenStable();
    http
      .expectOne('/api/files/f_x/desk/worked')
      .flush({ detail: 'The file is busy.' }, { status: 503, statusText: 'x' });
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).toContain('The file is busy.');
  });

  it('offers what is unfinished, newest first: records of this browser and the draft of the design', async () => {
    drafts.keep('f_x', draft('o_loans', [1000], '2026-11-25T09:00:00Z'));
    drafts.keep('f_x', draft('o_loans', null, '2026-11-25T10:00:00Z'));
    drafts.keep('f_other', draft('o_loans', [5], '2026-11-25T11:00:00Z'));
    await open({ records: [], draft: { changes: 3, at: '2026-11-24T08:00:00Z' } });
    expect([...page.querySelectorAll('li strong')].map((item) => item.textContent)).toEqual([
      'New loan',
      'Loan 1000',
      'Draft of the design',
    ]);
    expect(text()).toContain('3 changes · kept 24 Nov 2026 08:00');
    const go = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    page.querySelector<HTMLButtonElement>('li button')!.click();
    expect(go).toHaveBeenCalledWith(['/desk', 'f_x', 'screen', 'o_loans'], { queryParams: { new: 1 } });
    button(page, 'Throw away what was typed into Loan 1000').click();
    await fixture.whenStable();
    expect(drafts.list('f_x').map(({ key }) => key)).toEqual([null]);
  });

  it('passes over what another version, or somebody else, has put there', () => {
    drafts.keep('f_x', draft('o_loans', [1], '2026-11-25T09:00:00Z'));
    const [name] = Object.keys(localStorage);
    for (const odd of ['', '{', '[]', '{"screen":1}', 'null']) {
      localStorage.setItem(name!, odd);
      expect(drafts.list('f_x')).toEqual([]);
      expect(drafts.find('f_x', 'o_loans', [1])).toBeNull();
    }
  });

  it('says so once where the browser keeps nothing', () => {
    const say = spyOn(drafts['toast'], 'say');
    spyOn(Storage.prototype, 'setItem').and.throwError('full');
    drafts.keep('f_x', draft('o_loans', [1], '2026-11-25T09:00:00Z'));
    drafts.keep('f_x', draft('o_loans', [1], '2026-11-25T09:00:01Z'));
    expect(say).toHaveBeenCalledTimes(1);
  });
});
