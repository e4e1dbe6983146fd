import { HttpRequest, HttpResponse } from '@angular/common/http';
import { of } from 'rxjs';
import { seeAs, withRole } from './as-role';

describe('withRole', () => {
  const header = (url: string): string | null => {
    let seen: string | null = null;
    withRole(new HttpRequest('GET', url), (request) => {
      seen = request.headers.get('heathridge-as-role');
      return of(new HttpResponse());
    }).subscribe();
    return seen;
  };
  afterEach(() => seeAs('f_x', null));

  it('tells the Desk of one file, and nothing else, through whose eyes it is seen', () => {
    expect(header('/api/files/f_x/desk')).toBeNull();
    seeAs('f_x', 'g_counter');
    expect(header('/api/files/f_x/desk')).toBe('g_counter');
    expect(header('/api/files/f_x/desk/screens/o_a/list')).toBe('g_counter');
    expect(header('/api/files/f_x/desk?x=1')).toBe('g_counter');
    for (const url of ['/api/files/f_y/desk', '/api/files/f_x/rows', '/api/files/f_x/deskX', '/api/session'])
      expect(header(url)).withContext(url).toBeNull();
  });
});
