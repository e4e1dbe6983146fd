import { provideZonelessChangeDetection, type Provider } from '@angular/core';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { provideIsoDates } from '../value/iso-date-adapter';
import { MatIconRegistry } from '@angular/material/icon';
import { DomSanitizer } from '@angular/platform-browser';
import { provideRouter } from '@angular/router';
import type { Design } from '@heathridge/core/design';
import { OFFICE } from '../../../../core/src/design/testing/office';
import { NEVER } from 'rxjs';
import { FileNews } from '../file/news.service';
import { Steps } from '../file/steps.service';
import { FileStore } from '../file/file.store';
import { ICONS } from '../shared/icons';

/** Sets up what every page needs, without a server: calls are answered by the test. */
export function setUp(more: Provider[] = []): HttpTestingController {
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      provideHttpClient(),
      provideHttpClientTesting(),
      provideRouter([]),
      provideIsoDates(),
      FileStore,
      Steps,
      // Nobody else is there in a test, unless it says so.
      { provide: FileNews, useValue: { all: NEVER } },
      ...more,
    ],
  });
  const [registry, sanitizer] = [TestBed.inject(MatIconRegistry), TestBed.inject(DomSanitizer)];
  for (const [name, svg] of Object.entries(ICONS))
    registry.addSvgIconLiteral(name, sanitizer.bypassSecurityTrustHtml(svg));
  return TestBed.inject(HttpTestingController);
}

/** Sets up an open file with a design, by default the sample office. */
export function setUpFile(design: Design = OFFICE): HttpTestingController {
  const http = setUp();
  TestBed.inject(FileStore).open('f_x');
  http.expectOne('/api/files/f_x/design').flush({
    name: 'X',
    design,
    versions: {},
    counts: { t_loan: 7 },
    places: [],
    draft: null,
    today: '2026-11-25',
  });
  http.expectOne('/api/files/f_x/sound').flush({ asking: false, result: null });
  return http;
}

/** Waits for debounced work to begin. */
export const after = (milliseconds: number): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, milliseconds));

/**
 * Waits until what is drawn or measured with the next pictures is there, however late they come: grids and charts draw
 * themselves in frames, and learn how large they are between two.
 */
export async function drawn(): Promise<void> {
  for (let i = 0; i < 4; i++) {
    await new Promise((resolve) => requestAnimationFrame(resolve));
    await after(0);
  }
}

/** Waits until something is so. Where it never is, the time limit of specs ends it: machines are shared. */
export async function until(isSo: () => boolean): Promise<void> {
  while (!isSo()) await after(5);
}

/** What a selector finds, once it is there: parts of pages are read when they are wanted. */
export async function shown<T extends HTMLElement>(
  selector: string,
  root: ParentNode = document,
): Promise<T> {
  for (;;) {
    const found = root.querySelector<T>(selector);
    if (found) return found;
    await after(0);
  }
}

/** The button with this text or label. */
export function button(root: HTMLElement, name: string): HTMLButtonElement {
  const found = [...root.querySelectorAll('button')].find(
    (item) =>
      item.getAttribute('aria-label') === name || item.textContent.replace(/\s+/g, ' ').trim() === name,
  );
  if (!found) throw new Error(`No button ${name}`);
  return found;
}
