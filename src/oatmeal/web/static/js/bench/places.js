// Places on the photograph as it was taken, in shares of its longer side: where they are seen, and as paths.
import { clamp } from "./paths.js";

const STEPS = 10000;

/**
 * Places and paths, and where they are seen.
 * @param {Pick<import("./bench.js").Bench, "crop" | "parts" | "photograph">} bench
 */
export function placing(bench) {
  const { file } = bench.photograph;
  const longest = Math.max(file.width, file.height);
  const shares = (/** @type {number[]} */ [x, y]) => ({ x: (x * longest) / file.width, y: (y * longest) / file.height });
  const lengths = ({ x, y }) => [(x * file.width) / longest, (y * file.height) / longest];
  /** @type {(point: number[], laid?: any) => number[]} */
  const screen = (point, laid = bench.crop.laid()) => {
    const { picture } = bench.parts;
    const { x, y } = picture.placeOf(picture.point(laid.framed(shares(point))));
    return [x, y];
  };
  const under = (/** @type {{x: number, y: number}} */ at) => {
    const { picture } = bench.parts;
    return lengths(bench.crop.taken(picture.shares(picture.view.pointAt(at))));
  };
  return {
    longest,
    shares,
    /** Where a place is seen, in CSS pixels on the surround. */
    screen,
    /** The same of several: how the picture lies is asked for once, which costs more than a place. @param {number[][]} points */
    screens(points, laid = bench.crop.laid()) {
      return points.map((point) => screen(point, laid));
    },
    /** CSS pixels for one longer side, beside a place. @param {number[]} point */
    scaleAt([x, y], laid = bench.crop.laid()) {
      const [here, across] = [screen([x, y], laid), screen([x + 0.01, y], laid)];
      return Math.hypot(across[0] - here[0], across[1] - here[1]) / 0.01;
    },
    /** The place that a pointer is over; null outside the picture. */
    placeOf(event) {
      const at = bench.crop.placeAt(event);
      return at && lengths(at);
    },
    /** The place under a pointer, inside the picture or not. @param {{clientX: number, clientY: number}} event */
    anywhere(event) {
      return under(bench.parts.picture.view.onSurround(event));
    },
    /** The same under a point of the surround, in CSS pixels. @type {(at: {x: number, y: number}) => number[]} */
    under,
    /** The place of a point of the framed picture, in its pixels. */
    placeAt(point) {
      return lengths(bench.crop.taken(bench.parts.picture.shares(point)));
    },
    /** How far a place moves for CSS pixels. */
    away(point, [x, y]) {
      const [left, top] = screen(point);
      const to = under({ x: left + x, y: top + y });
      return [to[0] - point[0], to[1] - point[1]];
    },
    /** The places of a path. @param {string} path @returns {number[][]} */
    pointsOf(path) {
      const steps = path.split(" ").map(Number);
      const found = [];
      for (let i = 0, x = 0, y = 0; i < steps.length; i += 2) {
        x += steps[i];
        y += steps[i + 1];
        found.push([x / STEPS, y / STEPS]);
      }
      return found;
    },
    /** The path through places, kept inside the picture. @param {number[][]} points */
    pathOf(points) {
      let [beforeX, beforeY] = [0, 0];
      const ends = [(file.width / longest) * STEPS, (file.height / longest) * STEPS];
      return points.flatMap(([x, y]) => {
        const [nowX, nowY] = [Math.round(clamp(x * STEPS, 0, ends[0])), Math.round(clamp(y * STEPS, 0, ends[1]))];
        const step = [nowX - beforeX, nowY - beforeY];
        [beforeX, beforeY] = [nowX, nowY];
        return step;
      }).join(" ");
    },
  };
}

/** A path with places that lie no nearer than this to the one before, its ends kept. */
export function thinned(points, least) {
  const kept = [points[0]];
  for (const point of points.slice(1, -1)) {
    const last = kept[kept.length - 1];
    if (Math.hypot(point[0] - last[0], point[1] - last[1]) >= least) kept.push(point);
  }
  return points.length > 1 ? [...kept, points[points.length - 1]] : kept;
}

/**
 * The numbers of the places that a path needs to stay within this distance of itself (Ramer 1972, Douglas and Peucker 1973).
 * @param {number[][]} points @param {number} within @returns {number[]}
 */
export function needed(points, within) {
  const kept = new Set([0, points.length - 1]);
  const left = [[0, points.length - 1]];
  while (left.length) {
    const [begin, end] = /** @type {number[]} */ (left.pop());
    let [far, farthest] = [within, -1];
    const [ax, ay] = points[begin];
    const [vx, vy] = [points[end][0] - ax, points[end][1] - ay];
    const square = vx * vx + vy * vy;
    for (let place = begin + 1; place < end; place += 1) {
      const [x, y] = [points[place][0] - ax, points[place][1] - ay];
      const t = square ? clamp((x * vx + y * vy) / square, 0, 1) : 0;
      const away = Math.hypot(x - t * vx, y - t * vy);
      if (away > far) [far, farthest] = [away, place];
    }
    if (farthest < 0) continue;
    kept.add(farthest);
    left.push([begin, farthest], [farthest, end]);
  }
  return [...kept].sort((one, other) => one - other);
}
