import type { Point } from '$core/weave/route';
import { boxesOf, portOf, type Weave } from '$core/weave/weave';
import type { RouteAnswer, RouteQuestion } from '../../workers/route';

/** Asks the routing worker; only the newest question is answered. */
export class ThreadRouter {
  private readonly worker = new Worker(new URL('../../workers/route.ts', import.meta.url), { type: 'module' });
  private serial = 0;

  /** The paths of the threads by their id, or null when a newer question overtook this one. Without a way round they are drawn straight. */
  route(weave: Weave, places: Readonly<Record<string, Point | null>>): Promise<Map<string, readonly Point[]> | null> {
    const serial = ++this.serial;
    const boxes = boxesOf(weave.tables, places);
    const at = new Map(weave.tables.map(({ id }, index) => [id, index]));
    const end = (table: string, field: string) => {
      const box = at.get(table) ?? 0;
      const found = weave.tables[box];
      return { box, at: found ? portOf(found, field) : 0 };
    };
    const threads = weave.threads.map((thread) => ({ from: end(thread.from, thread.fromField), to: end(thread.to, thread.toField) }));
    const question: RouteQuestion = { serial, boxes, threads };
    this.worker.postMessage(question);
    return new Promise((resolve) => {
      const heard = ({ data }: MessageEvent<RouteAnswer>) => {
        if (data.serial !== serial) return;
        this.worker.removeEventListener('message', heard);
        if (serial !== this.serial) return resolve(null);
        const straight = (index: number): Point[] => {
          const { from, to } = threads[index] ?? { from: { box: 0, at: 0 }, to: { box: 0, at: 0 } };
          const point = (one: typeof from): Point => ({ x: (boxes[one.box]?.x ?? 0) + (boxes[one.box]?.width ?? 0), y: (boxes[one.box]?.y ?? 0) + one.at });
          return [point(from), point(to)];
        };
        resolve(new Map(weave.threads.map(({ id }, index) => [id, data.paths[index] ?? straight(index)])));
      };
      this.worker.addEventListener('message', heard);
    });
  }

  stop(): void {
    this.worker.terminate();
  }
}
