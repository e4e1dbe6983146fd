/// <reference lib="webworker" />
import ELK from 'elkjs/lib/elk.bundled.js';
import type { LayoutReply, LayoutRequest } from './layout.service';

const elk = new ELK();

// Lays a map out from left to right along its links: the layered method of the Eclipse Layout Kernel.
addEventListener('message', ({ data }: MessageEvent<LayoutRequest>) => {
  const graph = {
    id: 'map',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      'elk.spacing.nodeNode': '36',
      'elk.layered.spacing.nodeNodeBetweenLayers': '76',
      'elk.spacing.componentComponent': '60',
      'elk.aspectRatio': String(data.aspect),
      'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
      'elk.layered.wrapping.strategy': data.cards.length > 24 ? 'MULTI_EDGE' : 'OFF',
    },
    children: data.cards.map(({ id, width, height }) => ({ id, width, height })),
    edges: data.links.map(({ from, to }, i) => ({ id: `e${i}`, sources: [from], targets: [to] })),
  };
  elk.layout(graph).then(
    ({ children = [] }) => {
      const places = children.map(({ id, x = 0, y = 0 }) => ({ table: id, x, y }));
      postMessage({ ok: true, places } satisfies LayoutReply);
    },
    (error: unknown) => postMessage({ ok: false, message: String(error) } satisfies LayoutReply),
  );
});
