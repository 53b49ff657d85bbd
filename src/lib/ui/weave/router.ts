import type { Point } from '$core/weave/route';
import { boxesOf, portOf, type Weave, type WeaveRun } from '$core/weave/weave';
import type { RouteAnswer, RouteQuestion } from '../../workers/route';

/**
 * Distances from the boxes, in pixels: what is calculated runs nearer to them than links, so that the two never share a
 * line.
 */
export const linkMargin = 18;
export const flowMargin = 10;

/** Asks a routing worker; only the newest question is answered. */
export class RunRouter {
  private readonly worker = new Worker(new URL('../../workers/route.ts', import.meta.url), { type: 'module' });
  private serial = 0;

  constructor(private readonly margin: number) {}

  /**
   * The paths of runs by their id, or null when a newer question overtook this one. Without a way round they are drawn
   * straight.
   */
  route(
    { tables }: Weave,
    runs: readonly WeaveRun[],
    places: Readonly<Record<string, Point | null>>,
  ): Promise<Map<string, readonly Point[]> | null> {
    const serial = ++this.serial;
    if (runs.length === 0) return Promise.resolve(new Map());
    const boxes = boxesOf(tables, places);
    const at = new Map(tables.map(({ id }, index) => [id, index]));
    const end = (table: string, field: string) => {
      const box = at.get(table) ?? 0;
      const found = tables[box];
      return { box, at: found ? portOf(found, field) : 0 };
    };
    const threads = runs.map((run) => ({ from: end(run.from, run.fromField), to: end(run.to, run.toField) }));
    const question: RouteQuestion = { serial, boxes, threads, margin: this.margin };
    this.worker.postMessage(question);
    return new Promise((resolve) => {
      const heard = ({ data }: MessageEvent<RouteAnswer>) => {
        if (data.serial !== serial) return;
        this.worker.removeEventListener('message', heard);
        if (serial !== this.serial) return resolve(null);
        const straight = (index: number): Point[] => {
          const { from, to } = threads[index] ?? { from: { box: 0, at: 0 }, to: { box: 0, at: 0 } };
          const point = (one: typeof from): Point => ({
            x: (boxes[one.box]?.x ?? 0) + (boxes[one.box]?.width ?? 0),
            y: (boxes[one.box]?.y ?? 0) + one.at,
          });
          return [point(from), point(to)];
        };
        resolve(new Map(runs.map(({ id }, index) => [id, data.paths[index] ?? straight(index)])));
      };
      this.worker.addEventListener('message', heard);
    });
  }

  stop(): void {
    this.worker.terminate();
  }
}
