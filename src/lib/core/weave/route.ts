/** A box on Weave's plane; pixels, y downwards. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** One end of a thread: a box by its place in the list, and how far down its side the thread leaves. */
interface ThreadEnd {
  readonly box: number;
  readonly at: number;
}

export interface ThreadEnds {
  readonly from: ThreadEnd;
  readonly to: ThreadEnd;
}

/** Threads run at this distance along boxes unless told otherwise, and never nearer than `clearance`. */
const usualMargin = 18;
const clearance = 6;
/** What a bend costs, in pixels of detour. */
const bendCost = 40;
const laneWidth = 5;

/**
 * Orthogonal paths for threads that cross no box: A* on the grid of the lines that run along the boxes (Wybrow,
 * Marriott and Stuckey, "Orthogonal Connector Routing", 2009, without their visibility pruning), then lanes for those
 * that share a line. A thread between boxes that overlap has no such path and is drawn straight; it is null here.
 */
export function routeThreads(
  boxes: readonly Box[],
  threads: readonly ThreadEnds[],
  margin = usualMargin,
): (readonly Point[] | null)[] {
  const grid = new Grid(boxes, threads, margin);
  const paths = threads.map((thread) => grid.route(thread));
  return intoLanes(boxes, paths);
}

const sides = (box: Box, end: ThreadEnd, margin: number): Point[] => [
  { x: box.x - margin, y: box.y + end.at },
  { x: box.x + box.width + margin, y: box.y + end.at },
];

/** Whether a straight stretch comes nearer to a box than it may. */
function blockedBy({ x, y, width, height }: Box, a: Point, b: Point, gap = clearance): boolean {
  return (
    Math.max(a.x, b.x) > x - gap &&
    Math.min(a.x, b.x) < x + width + gap &&
    Math.max(a.y, b.y) > y - gap &&
    Math.min(a.y, b.y) < y + height + gap
  );
}

class Grid {
  private readonly xs: number[];
  private readonly ys: number[];
  private readonly xAt: ReadonlyMap<number, number>;
  private readonly yAt: ReadonlyMap<number, number>;
  /** Whether the stretch from a crossing to the next one right (or below) is open. */
  private readonly right: Uint8Array;
  private readonly down: Uint8Array;

  constructor(
    private readonly boxes: readonly Box[],
    threads: readonly ThreadEnds[],
    private readonly margin: number,
  ) {
    const xs = new Set<number>();
    const ys = new Set<number>();
    for (const { x, y, width, height } of boxes) {
      xs.add(x - margin).add(x + width + margin);
      ys.add(y - margin).add(y + height + margin);
    }
    for (const { from, to } of threads) for (const end of [from, to]) ys.add((boxes[end.box]?.y ?? 0) + end.at);
    this.xs = [...xs].sort((a, b) => a - b);
    this.ys = [...ys].sort((a, b) => a - b);
    this.xAt = new Map(this.xs.map((x, index) => [x, index]));
    this.yAt = new Map(this.ys.map((y, index) => [y, index]));
    this.right = new Uint8Array(this.xs.length * this.ys.length).fill(1);
    this.down = new Uint8Array(this.xs.length * this.ys.length).fill(1);
    for (const box of boxes) this.close(box);
  }

  /** Closes the stretches that run through a box. */
  private close(box: Box): void {
    const [left, rightmost, top, bottom] = [
      box.x - clearance,
      box.x + box.width + clearance,
      box.y - clearance,
      box.y + box.height + clearance,
    ];
    const from = (list: readonly number[], value: number) => {
      let [low, high] = [0, list.length];
      while (low < high) {
        const middle = (low + high) >> 1;
        if ((list[middle] ?? 0) < value) low = middle + 1;
        else high = middle;
      }
      return low;
    };
    const [x0, x1, y0, y1] = [from(this.xs, left), from(this.xs, rightmost), from(this.ys, top), from(this.ys, bottom)];
    const width = this.xs.length;
    for (let j = Math.max(0, y0 - 1); j < Math.min(this.ys.length, y1 + 1); j++)
      for (let i = Math.max(0, x0 - 1); i < Math.min(width, x1 + 1); i++) {
        const here = { x: this.xs[i] ?? 0, y: this.ys[j] ?? 0 };
        if (i + 1 < width && blockedBy(box, here, { x: this.xs[i + 1] ?? 0, y: here.y })) this.right[j * width + i] = 0;
        if (j + 1 < this.ys.length && blockedBy(box, here, { x: here.x, y: this.ys[j + 1] ?? 0 }))
          this.down[j * width + i] = 0;
      }
  }

  /** The way with the least length and bends, from either side of the one box to either side of the other. */
  route({ from, to }: ThreadEnds): Point[] | null {
    const [start, end] = [this.boxes[from.box], this.boxes[to.box]];
    if (!start || !end) return null;
    const width = this.xs.length;
    const nodeOf = (point: Point) => (this.yAt.get(point.y) ?? 0) * width + (this.xAt.get(point.x) ?? 0);
    // The short stretch from a box to the grid may itself run through a box that stands too near.
    const free = (side: Point, own: number, edge: Point) =>
      this.boxes.every((box, index) => index === own || !blockedBy(box, side, edge, 0));
    const openEnds = (box: Box, end: ThreadEnd) =>
      sides(box, end, this.margin).filter((side, index) =>
        free(side, end.box, { x: index === 0 ? box.x : box.x + box.width, y: side.y }),
      );
    const goals = new Map(openEnds(end, to).map((side) => [nodeOf(side), side]));
    const heap = new Heap();
    const best = new Map<number, number>();
    const cameFrom = new Map<number, number>();
    const aim = [...goals.values()];
    const left = (node: number) => {
      const [x, y] = [this.xs[node % width] ?? 0, this.ys[Math.floor(node / width)] ?? 0];
      return Math.min(...aim.map((goal) => Math.abs(goal.x - x) + Math.abs(goal.y - y)));
    };
    if (aim.length === 0) return null;
    for (const side of openEnds(start, from)) {
      // A state is a crossing and the way one came: 0 along, 1 up or down.
      const state = nodeOf(side) * 2;
      best.set(state, 0);
      heap.push(state, left(nodeOf(side)));
    }
    for (let state = heap.pop(); state !== null; state = heap.pop()) {
      const node = state >> 1;
      const cost = best.get(state) ?? 0;
      const goal = goals.get(node);
      // Threads end along, as they begin.
      if (goal && (state & 1) === 0) return this.path(state, cameFrom, start, end, from, to);
      const [i, j] = [node % width, Math.floor(node / width)];
      const step = (next: number, way: number, open: number | undefined, length: number) => {
        if (!open) return;
        const total = cost + length + (way === (state & 1) ? 0 : bendCost);
        const then = next * 2 + way;
        if (total >= (best.get(then) ?? Infinity)) return;
        best.set(then, total);
        cameFrom.set(then, state);
        heap.push(then, total + left(next));
      };
      const at = (list: readonly number[], index: number) => list[index] ?? 0;
      if (i + 1 < width) step(node + 1, 0, this.right[node], at(this.xs, i + 1) - at(this.xs, i));
      if (i > 0) step(node - 1, 0, this.right[node - 1], at(this.xs, i) - at(this.xs, i - 1));
      if (j + 1 < this.ys.length) step(node + width, 1, this.down[node], at(this.ys, j + 1) - at(this.ys, j));
      if (j > 0) step(node - width, 1, this.down[node - width], at(this.ys, j) - at(this.ys, j - 1));
      // Turning on the spot lets a thread that came from above end along.
      step(node, 1 - (state & 1), 1, 0);
    }
    return null;
  }

  private path(
    last: number,
    cameFrom: ReadonlyMap<number, number>,
    start: Box,
    end: Box,
    from: ThreadEnd,
    to: ThreadEnd,
  ): Point[] {
    const points: Point[] = [];
    for (let state: number | undefined = last; state !== undefined; state = cameFrom.get(state)) {
      const node = state >> 1;
      points.push({ x: this.xs[node % this.xs.length] ?? 0, y: this.ys[Math.floor(node / this.xs.length)] ?? 0 });
    }
    points.reverse();
    const edge = (box: Box, at: number, point: Point | undefined): Point => ({
      x: (point?.x ?? 0) < box.x ? box.x : box.x + box.width,
      y: box.y + at,
    });
    return straightened([edge(start, from.at, points[0]), ...points, edge(end, to.at, points.at(-1))]);
  }
}

/** Without points that repeat or lie on the way of a straight stretch. */
export function straightened(points: readonly Point[]): Point[] {
  const each = points.filter((point, index) => point.x !== points[index - 1]?.x || point.y !== points[index - 1]?.y);
  return each.filter((point, index) => {
    const [before, after] = [each[index - 1], each[index + 1]];
    return (
      !before ||
      !after ||
      !((before.x === point.x && point.x === after.x) || (before.y === point.y && point.y === after.y))
    );
  });
}

/** A binary heap of states by their estimate. */
class Heap {
  private readonly states: number[] = [];
  private readonly keys: number[] = [];

  push(state: number, key: number): void {
    let at = this.states.length;
    this.states.push(state);
    this.keys.push(key);
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if ((this.keys[parent] ?? 0) <= key) break;
      this.swap(at, parent);
      at = parent;
    }
  }

  pop(): number | null {
    const top = this.states[0];
    if (top === undefined) return null;
    const [state, key] = [this.states.pop() ?? 0, this.keys.pop() ?? 0];
    if (this.states.length > 0) {
      this.states[0] = state;
      this.keys[0] = key;
      this.sink();
    }
    return top;
  }

  private sink(): void {
    for (let at = 0; ;) {
      let least = at;
      for (const child of [2 * at + 1, 2 * at + 2])
        if (child < this.keys.length && (this.keys[child] ?? 0) < (this.keys[least] ?? 0)) least = child;
      if (least === at) return;
      this.swap(at, least);
      at = least;
    }
  }

  private swap(a: number, b: number): void {
    [this.states[a], this.states[b]] = [this.states[b] ?? 0, this.states[a] ?? 0];
    [this.keys[a], this.keys[b]] = [this.keys[b] ?? 0, this.keys[a] ?? 0];
  }
}

interface Stretch {
  readonly thread: number;
  readonly index: number;
  readonly low: number;
  readonly high: number;
}

type Axis = 'x' | 'y';

/** Gives stretches that run along the same line a lane each, upright ones first, as far as the boxes leave room. */
function intoLanes(boxes: readonly Box[], paths: readonly (Point[] | null)[]): (readonly Point[] | null)[] {
  const moved = paths.map((path) => path?.map((point) => ({ ...point })) ?? null);
  spread(boxes, moved, 'x');
  spread(boxes, moved, 'y');
  return moved;
}

/**
 * `across`: the coordinate that all points of a line share, and that a lane moves. The stretches at a box keep their
 * place.
 */
function spread(boxes: readonly Box[], paths: readonly ({ x: number; y: number }[] | null)[], across: Axis): void {
  const along: Axis = across === 'x' ? 'y' : 'x';
  const lines = new Map<number, Stretch[]>();
  paths.forEach((path, thread) =>
    path?.forEach((point, index) => {
      const next = path[index + 1];
      if (
        !next ||
        point[across] !== next[across] ||
        point[along] === next[along] ||
        index === 0 ||
        index + 2 >= path.length
      )
        return;
      const stretch = {
        thread,
        index,
        low: Math.min(point[along], next[along]),
        high: Math.max(point[along], next[along]),
      };
      // Lines nearer than a lane are one line.
      const line = Math.round(point[across] / (2 * laneWidth));
      lines.set(line, [...(lines.get(line) ?? []), stretch]);
    }),
  );
  for (const stretches of lines.values()) {
    if (stretches.length < 2) continue;
    // Greedy colouring of intervals: a lane is free again behind the last stretch in it.
    const lanes: number[] = [];
    for (const { thread, index, low, high } of stretches.toSorted((a, b) => a.low - b.low || b.high - a.high)) {
      let lane = lanes.findIndex((end) => end < low);
      if (lane < 0) lane = lanes.length;
      lanes[lane] = high;
      const path = paths[thread];
      const [a, b, before, after] = [path?.[index], path?.[index + 1], path?.[index - 1], path?.[index + 2]];
      const first = paths[stretches[0]?.thread ?? 0]?.[stretches[0]?.index ?? 0];
      if (!a || !b || !before || !after || !first) continue;
      // Lanes lie alternately on both sides of the line, so that few of them keep close to it.
      const place = first[across] + Math.ceil(lane / 2) * laneWidth * (lane % 2 === 0 ? -1 : 1);
      const [a2, b2] = [
        { ...a, [across]: place },
        { ...b, [across]: place },
      ];
      const stretchesMoved = [
        [before, a2],
        [a2, b2],
        [b2, after],
      ] as const;
      if (boxes.some((box) => stretchesMoved.some(([from, to], part) => blockedBy(box, from, to, part === 1 ? 2 : 0))))
        continue;
      a[across] = b[across] = place;
    }
  }
}
