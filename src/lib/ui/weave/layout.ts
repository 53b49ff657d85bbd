import type { ELK, ElkNode } from 'elkjs/lib/elk-api';
import type { Point } from '$core/weave/route';
import { boxHeight, boxWidth, type Weave } from '$core/weave/weave';

/**
 * Places for the tables that nobody put anywhere, with distances in pixels between layers and beside each other, in
 * layers along their links; worked out in a worker that ends with it.
 */
export async function placesFor(
  weave: Weave,
  placed: Readonly<Record<string, Point | null>>,
  { between, beside, aspect } = { between: 110, beside: 56, aspect: 1.6 },
): Promise<Record<string, Point>> {
  const stands = (id: string): Point | null => placed[id] ?? null;
  const known = Object.fromEntries(weave.tables.flatMap(({ id }) => (stands(id) ? [[id, stands(id) as Point]] : [])));
  const free = weave.tables.filter(({ id }) => !stands(id));
  if (free.length === 0) return known;
  const [{ default: Elk }, { default: workerUrl }] = await Promise.all([
    import('elkjs/lib/elk-api.js'),
    import('elkjs/lib/elk-worker.min.js?url'),
  ]);
  const elk: ELK = new Elk({ workerUrl });
  const graph: ElkNode = {
    id: 'weave',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'RIGHT',
      'elk.layered.spacing.nodeNodeBetweenLayers': String(between),
      'elk.spacing.nodeNode': String(beside),
      'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX',
      'elk.spacing.componentComponent': String(Math.min(80, between)),
      'elk.aspectRatio': String(aspect),
    },
    children: free.map((table) => ({ id: table.id, width: boxWidth, height: boxHeight(table) })),
    // What is linked to stands left of what links to it; a table's link to itself has no say in the order.
    edges: weave.threads
      .filter(({ from, to }) => from !== to && !stands(from) && !stands(to))
      .map(({ id, from, to }) => ({ id, sources: [to], targets: [from] })),
  };
  try {
    const laid = await elk.layout(graph);
    // Beside those that a person placed, the others begin below.
    const below = Math.max(
      0,
      ...weave.tables.map((table) => (stands(table.id) ? (stands(table.id)?.y ?? 0) + boxHeight(table) + 80 : 0)),
    );
    return {
      ...known,
      ...Object.fromEntries(
        (laid.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x: Math.round(x), y: Math.round(y + below) }]),
      ),
    };
  } finally {
    elk.terminateWorker();
  }
}
