import type { HttpTestingController, TestRequest } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { MATERIAL_ANIMATIONS } from '@angular/material/core';
import type { Observable } from 'rxjs';
import { emptyDesign } from '@heathridge/core/design';
import { DeskLine } from '../desk/desk-news.service';
import { DeskStore } from '../desk/desk.store';
import { after, setUp } from './bench';

/** A screen as the Desk names it. */
export interface DeskScreen {
  readonly id: string;
  readonly shows: 'record' | 'list' | 'cards';
  readonly table: string;
  readonly adds?: boolean;
}

/** Sets up an open Desk with these screens; `heard` is what happens to the file meanwhile. */
export function setUpDesk(
  heard: Observable<unknown>,
  screens: readonly DeskScreen[],
  role: 'builder' | 'colleague' = 'builder',
): HttpTestingController {
  const http = setUp([
    DeskStore,
    { provide: DeskLine, useValue: { all: heard } },
    { provide: MATERIAL_ANIMATIONS, useValue: { animationsDisabled: true } },
  ]);
  TestBed.inject(DeskStore).open('f_x');
  const named = screens.map((screen) => ({ adds: true, label: screen.id, one: 'x', many: 'xs', ...screen }));
  http.expectOne('/api/files/f_x/desk').flush({
    name: 'X',
    role,
    duty: null,
    settings: emptyDesign().settings,
    today: '2026-11-25',
    screens: named,
    boards: [],
  });
  return http;
}

/** The next call of an address, by whatever way where none is said, once somebody makes it. */
export async function calling(
  http: HttpTestingController,
  url: string,
  method?: string,
): Promise<TestRequest> {
  for (;;) {
    const [found] = http.match(
      (request) => request.url === url && (method === undefined || request.method === method),
    );
    if (found) return found;
    await after(5);
  }
}
