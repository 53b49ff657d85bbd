import { routeThreads, type Box, type Point, type ThreadEnds } from '$core/weave/route';

/** What the page asks a worker for: paths for threads between boxes at their places. */
export interface RouteQuestion {
  readonly serial: number;
  readonly boxes: readonly Box[];
  readonly threads: readonly ThreadEnds[];
  /** How far from the boxes they run, in pixels. */
  readonly margin: number;
}

export interface RouteAnswer {
  readonly serial: number;
  readonly paths: readonly (readonly Point[] | null)[];
}

self.onmessage = ({ data }: MessageEvent<RouteQuestion>) => {
  const answer: RouteAnswer = { serial: data.serial, paths: routeThreads(data.boxes, data.threads, data.margin) };
  self.postMessage(answer);
};
