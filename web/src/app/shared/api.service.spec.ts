import type { HttpTestingController } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { setUp } from '../testing/bench';
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
