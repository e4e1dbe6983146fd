/// <reference lib="webworker" />
import ELK from 'elkjs/lib/elk.bundled.js';
import { arrange } from './arrange';
import type { LayoutReply, LayoutRequest } from './layout.service';

const elk = new ELK();

addEventListener('message', ({ data }: MessageEvent<LayoutRequest>) => {
  arrange(elk, data).then(
    (places) => postMessage({ ok: true, places } satisfies LayoutReply),
    (error: unknown) => postMessage({ ok: false, message: String(error) } satisfies LayoutReply),
  );
});
