import { Injectable } from '@angular/core';
import { Observable } from 'rxjs';
import type { Place } from '../shared/api.service';

export interface LayoutRequest {
  readonly cards: readonly { readonly id: string; readonly width: number; readonly height: number }[];
  /** From the table looked up to the one that looks it up. */
  readonly links: readonly { readonly from: string; readonly to: string }[];
  /** The room there is: pixels from top to bottom, and how many times that it is wide. */
  readonly height: number;
  readonly aspect: number;
}

export type LayoutReply =
  { readonly ok: true; readonly places: readonly Place[] } | { readonly ok: false; readonly message: string };

/** Lays maps out in a worker of their own: the page stays fluid meanwhile. */
@Injectable({ providedIn: 'root' })
export class LayoutService {
  layOut(request: LayoutRequest): Observable<readonly Place[]> {
    return new Observable((subscriber) => {
      const worker = new Worker(new URL('./layout.worker', import.meta.url), { type: 'module' });
      worker.onmessage = ({ data }: MessageEvent<LayoutReply>) => {
        if (data.ok) {
          subscriber.next(data.places);
          subscriber.complete();
        } else subscriber.error(new Error(data.message));
      };
      worker.onerror = ({ message }) => subscriber.error(new Error(message));
      worker.postMessage(request);
      return () => worker.terminate();
    });
  }
}
