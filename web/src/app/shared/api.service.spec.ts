import { HttpErrorResponse } from '@angular/common/http';
import type { HttpTestingController } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { MatSnackBar } from '@angular/material/snack-bar';
import { firstValueFrom, type Observable } from 'rxjs';
import { setUp, shown } from '../testing/bench';
import { Api } from './api.service';
import { Toast } from './toast.service';

/** A save while the design is being changed. */
describe('a save that must wait', () => {
  let http: HttpTestingController;
  let said: jasmine.Spy;
  beforeEach(() => {
    http = setUp();
    said = spyOn(TestBed.inject(Toast), 'say');
    jasmine.clock().install();
  });
  afterEach(() => {
    jasmine.clock().uninstall();
    http.verify();
  });

  const refused = { type: '/problems/changing', detail: 'Being changed.' };
  const request = { id: 'a-name-of-its-own', changes: [] };
  const roads = {
    '/api/files/f_x/rows': (api: Api) => api.saveRows('f_x', request),
    '/api/files/f_x/desk/screens/o_y/save': (api: Api) => api.saveRecord('f_x', 'o_y', request),
  };

  for (const [url, save] of Object.entries(roads)) {
    it(`says so, and is sent again under its name until it is taken: ${url}`, () => {
      const answers: unknown[] = [];
      save(TestBed.inject(Api)).subscribe((answer) => answers.push(answer));
      for (let tries = 0; tries < 7; tries++) {
        const call = http.expectOne(url);
        expect(call.request.body).toEqual(request);
        call.flush(refused, { status: 423, statusText: 'Locked' });
        http.expectNone(url);
        jasmine.clock().tick(1000);
      }
      http.expectOne(url).flush({ saved: [] });
      expect(answers).toEqual([{ saved: [] }]);
      // Told at once, and again from time to time, not at each try.
      expect(said).toHaveBeenCalledTimes(2);
      expect(said.calls.first().args[0]).toContain('waits for its turn');
    });

    it(`is refused at once for any other reason: ${url}`, () => {
      const problems: unknown[] = [];
      save(TestBed.inject(Api)).subscribe({ error: (error: unknown) => problems.push(error) });
      http
        .expectOne(url)
        .flush({ type: '/problems/rows-refused', detail: 'No.' }, { status: 422, statusText: 'x' });
      jasmine.clock().tick(5000);
      expect(problems.length).toBe(1);
      expect(said).not.toHaveBeenCalled();
    });

    it(`is given up with whoever waits for it: ${url}`, () => {
      const waiting = save(TestBed.inject(Api)).subscribe();
      http.expectOne(url).flush(refused, { status: 423, statusText: 'Locked' });
      waiting.unsubscribe();
      jasmine.clock().tick(5000);
      http.expectNone(url);
      expect(said).toHaveBeenCalledTimes(1);
    });
  }
});

/** What was said of the last save does not stand beside what is wrong with this one. */
describe('what was said of a save', () => {
  // One that gives way to another is still there for a moment.
  const text = (): string =>
    [...document.querySelectorAll('mat-snack-bar-container')].map(({ textContent }) => textContent).join(' ');
  let http: HttpTestingController;
  let toast: Toast;
  beforeEach(async () => {
    http = setUp();
    toast = TestBed.inject(Toast);
    toast.say('Hire 4917 is saved.');
    await shown('mat-snack-bar-container');
  });
  afterEach(() => TestBed.inject(MatSnackBar).dismiss());

  const save = (answer: object, status: number): void => {
    TestBed.inject(Api)
      .saveRows('f_x', { id: 'a-name-of-its-own', changes: [] })
      .subscribe({ error: () => undefined });
    http.expectOne('/api/files/f_x/rows').flush(answer, { status, statusText: 'x' });
  };

  it('goes when the next is refused', async () => {
    const gone = firstValueFrom(TestBed.inject(MatSnackBar)._openedSnackBarRef!.afterDismissed());
    save({ type: '/problems/misplaced', detail: 'Not in its place.' }, 409);
    await gone;
    expect(text()).toBe('');
  });

  it('stays to be read when the next is taken', () => {
    save({ saved: [] }, 200);
    expect(text()).toContain('4917');
  });

  it('goes too where it offers to take that back', async () => {
    toast.offer('Hire 4918 is saved.', 'Take it back', () => undefined);
    const gone = firstValueFrom(TestBed.inject(MatSnackBar)._openedSnackBarRef!.afterDismissed());
    save({ type: '/problems/rows-refused', detail: 'No.' }, 422);
    await gone;
    expect(text()).not.toContain('4918');
  });

  it('goes, and not what was wrong with something else', async () => {
    toast.problem(new HttpErrorResponse({ status: 0 }));
    await shown('mat-snack-bar-container button');
    const wrong = text();
    save({ type: '/problems/rows-refused', detail: 'No.' }, 422);
    expect(TestBed.inject(MatSnackBar)._openedSnackBarRef).not.toBeNull();
    expect(text()).toBe(wrong);
  });
});

/** The server sends fewer rows at once where their texts are long. */
describe('rows that come in several parts', () => {
  const places = (from: number, to: number): string[][] =>
    Array.from({ length: to - from }, (_, i) => [`row ${from + i}`]);

  type Ask = (
    api: Api,
    start: number,
    limit: number,
  ) => Observable<{ readonly rows: readonly unknown[]; readonly total: number }>;
  const roads: readonly (readonly [what: string, ask: Ask, url: string])[] = [
    [
      'a window',
      (api: Api, start: number, limit: number) =>
        api.window('f_x', 't_y', { start, limit, sort: [], search: '', conditions: [] }),
      '/api/files/f_x/tables/t_y/window',
    ],
    [
      'a page of a list',
      (api: Api, start: number, limit: number) =>
        api.page('f_x', 'o_y', {
          start,
          limit,
          sort: [],
          search: '',
          conditions: [],
          path: [],
          parent: null,
        }),
      '/api/files/f_x/desk/screens/o_y/page',
    ],
  ];
  for (const [what, ask, url] of roads)
    it(`are asked for until those are there that were meant, to the end: ${what}`, () => {
      const http = setUp();
      const come: { rows: readonly unknown[]; total: number }[] = [];
      ask(TestBed.inject(Api), 20, 10).subscribe((answer) => come.push(answer));
      const answer = (start: number, limit: number, rows: string[][], total: number): void => {
        const call = http.expectOne(url);
        const asked = call.request.body as { start: number; limit: number };
        expect([asked.start, asked.limit]).toEqual([start, limit]);
        call.flush({ rows, total });
      };
      answer(20, 10, places(20, 24), 100);
      answer(24, 6, places(24, 25), 100);
      expect(come).toEqual([]);
      // Meanwhile somebody has deleted most of them.
      answer(25, 5, places(25, 27), 27);
      http.expectNone(url);
      expect(come).toEqual([{ rows: places(20, 27), total: 27 }]);
      ask(TestBed.inject(Api), 0, 10).subscribe((answer) => come.push(answer));
      answer(0, 10, places(0, 3), 5);
      // Where nothing more comes nothing more is asked.
      answer(3, 7, [], 5);
      expect(come[1]).toEqual({ rows: places(0, 3), total: 5 });
      http.verify();
    });
});
