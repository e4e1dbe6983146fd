import { TestBed } from '@angular/core/testing';
import type { HttpTestingController } from '@angular/common/http/testing';
import { setUpFile } from '../testing/bench';
import { Steps } from './steps.service';

describe('Steps', () => {
  let http: HttpTestingController;
  let steps: Steps;
  const answer = (entry: number, by: number): void =>
    http.expectOne(`/api/files/f_x/log/${entry}/undo`).flush({ entry: by, rows: 1, tables: ['t_loan'] });

  beforeEach(() => {
    http = setUpFile();
    steps = TestBed.inject(Steps);
  });
  afterEach(() => http.verify());

  it('undoes the last first, and does it again by undoing that', () => {
    expect(steps.undo()).toBeNull();
    steps.did(10, 'Fee changed');
    steps.did(11, 'Loan added');
    expect([steps.undoes(), steps.redoes()]).toEqual(['Loan added', '']);
    steps.undo()!.subscribe();
    answer(11, 12);
    expect([steps.undoes(), steps.redoes()]).toEqual(['Fee changed', 'Loan added']);
    steps.redo()!.subscribe();
    answer(12, 13);
    expect([steps.undoes(), steps.redoes()]).toEqual(['Loan added', '']);
    steps.undo()!.subscribe();
    answer(13, 14);
  });

  it('lets go of what was undone once something else is done', () => {
    steps.did(10, 'Fee changed');
    steps.undo()!.subscribe();
    answer(10, 11);
    steps.did(12, 'Loan added');
    expect(steps.redo()).toBeNull();
  });

  it('lets go of a step that cannot be undone any more, and says so', () => {
    steps.did(10, 'Fee changed');
    let failed = '';
    steps.undo()!.subscribe({ error: ({ error }) => (failed = error.detail) });
    http
      .expectOne('/api/files/f_x/log/10/undo')
      .flush(
        { type: '/problems/not-undone', detail: 'Somebody was quicker.' },
        { status: 409, statusText: 'No' },
      );
    expect([failed, steps.undoes(), steps.redoes()]).toEqual(['Somebody was quicker.', '', '']);
  });

  it('undoes a certain step, and knows its own', () => {
    steps.did(10, 'Fee changed');
    steps.did(11, 'Loan added');
    expect([steps.knows(10), steps.knows(12), steps.knows(null)]).toEqual([true, false, false]);
    steps.undo(10)!.subscribe();
    answer(10, 12);
    expect(steps.undoes()).toBe('Loan added');
    expect(steps.undo(99)).toBeNull();
  });
});
