import type { HttpInterceptorFn } from '@angular/common/http';

/** The header by which a builder looks at the Desk as those with a role do. */
const HEADER = 'heathridge-as-role';

const place = (file: string): string => `heathridge as role ${file}`;

/** Through the eyes of which role the Desk of a file is seen in this window; null for one's own. It survives a reload. */
export const asRole = (file: string): string | null => sessionStorage.getItem(place(file));

export function seeAs(file: string, role: string | null): void {
  if (role === null) sessionStorage.removeItem(place(file));
  else sessionStorage.setItem(place(file), role);
}

/** Tells the server on the Desk, and there alone, through whose eyes it is seen. */
export const withRole: HttpInterceptorFn = (request, next) => {
  const file = /^\/api\/files\/([^/?]+)\/desk(?=[/?]|$)/.exec(request.url)?.[1];
  const role = file === undefined ? null : asRole(file);
  return next(role === null ? request : request.clone({ setHeaders: { [HEADER]: role } }));
};
