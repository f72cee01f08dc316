// Where a frame lies on its picture: what the server computes, so that it can be drawn while it is dragged.
// The picture is freed of the lens's bend, turned by quarters and mirrored, then the camera is turned; the
// canvas has the picture's scale at its middle. Points are [x, y] in pixels of the file.

const HALF_DIAGONAL_MM = Math.hypot(36, 24) / 2;
const BEND_REACH = 1.6;
const MOST_PIXELS = 1.5;
const NEWTON_STEPS = 8;
const PIECES = 24;
const STEPS = 48;
const FAR = 1e7;
const QUARTERS = { none: 0, right: 1, over: 2, left: 3 };

const radians = (degrees) => (degrees * Math.PI) / 180;
const times = (a, b) => a.map((row) => b[0].map((_, k) => row.reduce((sum, value, i) => sum + value * b[i][k], 0)));
const roll = (degrees) => { const [c, s] = [Math.cos(radians(degrees)), Math.sin(radians(degrees))]; return [[c, -s, 0], [s, c, 0], [0, 0, 1]]; };
const pitch = (degrees) => { const [c, s] = [Math.cos(radians(degrees)), Math.sin(radians(degrees))]; return [[1, 0, 0], [0, c, -s], [0, s, c]]; };
const yaw = (degrees) => { const [c, s] = [Math.cos(radians(degrees)), Math.sin(radians(degrees))]; return [[c, 0, s], [0, 1, 0], [-s, 0, c]]; };
const diagonal = (x, y) => [[x, 0, 0], [0, y, 0], [0, 0, 1]];

/** @param {number[][]} m */
function inverted(m) {
  const [[a, b, c], [d, e, f], [g, h, i]] = m;
  const whole = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  return [
    [(e * i - f * h) / whole, (c * h - b * i) / whole, (b * f - c * e) / whole],
    [(f * g - d * i) / whole, (a * i - c * g) / whole, (c * d - a * f) / whole],
    [(d * h - e * g) / whole, (b * g - a * h) / whole, (a * e - b * d) / whole],
  ];
}

/** @param {number[][]} m @param {number[]} point */
function through(m, [x, y]) {
  const depth = m[2][0] * x + m[2][1] * y + m[2][2];
  return [(m[0][0] * x + m[0][1] * y + m[0][2]) / depth, (m[1][0] * x + m[1][1] * y + m[1][2]) / depth];
}

/** The map between a picture and its canvas. */
export class SetRight {
  /** @param {{width: number, height: number}} file @param {any} frame @param {any} lens of a recipe */
  constructor(file, frame, lens) {
    this.file = file;
    this.half = Math.hypot(file.width, file.height) / 2;
    const known = lens.use_known ? lens.known.bend : [0, 0, 0];
    this.terms = [known[0] + lens.bend / 100, known[1], known[2]];
    this.straight = this.terms.every((term) => term === 0);
    const focal = (frame.focal / HALF_DIAGONAL_MM) * this.half;
    const turn = roll(90 * QUARTERS[frame.turned]).map((row) => row.map(Math.round));
    this.quarters = frame.mirrored ? times(diagonal(-1, 1), turn) : turn;
    const turned = times(times(yaw((frame.swing * frame.levels) / 100), pitch((frame.tip * frame.uprights) / 100)), roll(frame.angle));
    const moved = times(times(diagonal(focal, focal), turned), diagonal(1 / focal, 1 / focal));
    const matrix = times(moved, this.quarters);
    const scale = scaleAtMiddle(matrix);
    this.matrix = times(diagonal(scale, scale), matrix);
    this.inverse = inverted(this.matrix);
    this.turns = frame.angle !== 0 || frame.tip * frame.uprights !== 0 || frame.swing * frame.levels !== 0;
    this.sideways = QUARTERS[frame.turned] % 2 === 1;
  }

  factor(square) {
    const [k1, k2, k3] = this.terms;
    const here = Math.min(square, BEND_REACH ** 2);
    return 1 + here * (k1 + here * (k2 + here * k3));
  }

  /** @param {number[]} point */
  freed([x, y]) {
    if (this.straight) return [x, y];
    const [k1, k2, k3] = this.terms;
    const drawn = Math.hypot(x, y) / this.half;
    let radius = drawn;
    for (let step = 0; step < NEWTON_STEPS; step += 1) {
      const square = radius * radius;
      const value = radius * (1 + square * (k1 + square * (k2 + square * k3))) - drawn;
      const slope = 1 + square * (3 * k1 + square * (5 * k2 + square * 7 * k3));
      radius = Math.min(BEND_REACH, Math.max(0, radius - value / Math.max(slope, 1e-3)));
    }
    const by = drawn > 1e-12 ? radius / drawn : 1;
    return [x * by, y * by];
  }

  /** Where a point of the picture, in pixels from its corner, comes to lie. @param {number[]} point */
  canvas([x, y]) {
    return through(this.matrix, this.freed([x - this.file.width / 2, y - this.file.height / 2]));
  }

  /** The inverse of `canvas`. */
  photograph(at) {
    const [x, y] = through(this.inverse, at);
    const by = this.straight ? 1 : this.factor((x * x + y * y) / this.half ** 2);
    return [x * by + this.file.width / 2, y * by + this.file.height / 2];
  }

  /** Corners of the picture on the canvas. */
  corners() {
    const { width, height } = this.file;
    return [[0, 0], [width, 0], [width, height], [0, height]].map((corner) => this.canvas(corner));
  }

  /** Points round the picture's border, from its middle. */
  border() {
    const { width, height } = this.file;
    const corners = [[0, 0], [width, 0], [width, height], [0, height]];
    return corners.flatMap((corner, place) => {
      const next = corners[(place + 1) % 4];
      return Array.from({ length: PIECES }, (_, k) => [0, 1].map((axis) => corner[axis] + (k / PIECES) * (next[axis] - corner[axis]) - (axis ? height : width) / 2));
    });
  }

  /** Half planes [nx, ny, d] whose common part lies inside the picture. */
  outline() {
    const { width, height } = this.file;
    const corners = [[0, 0], [width, 0], [width, height], [0, height]];
    const middle = this.canvas([width / 2, height / 2]);
    const count = this.straight ? 1 : PIECES;
    return corners.flatMap((corner, place) => {
      const next = corners[(place + 1) % 4];
      const side = Array.from({ length: count + 1 }, (_, k) => this.canvas(corner.map((at, axis) => at + (k / count) * (next[axis] - at))));
      const chord = normal(side[0], side[count], middle);
      const least = Math.min(...side.map(([x, y]) => chord[0] * x + chord[1] * y - chord[2]));
      if (least < -1e-9) return [[chord[0], chord[1], chord[2] + least]];
      return side.slice(1).map((to, k) => normal(side[k], to, middle));
    });
  }
}

function scaleAtMiddle(m) {
  const middle = [m[0][2] / m[2][2], m[1][2] / m[2][2]];
  const slope = [0, 1].map((row) => [0, 1].map((column) => (m[row][column] - middle[row] * m[2][column]) / m[2][2]));
  return 1 / Math.sqrt(Math.abs(slope[0][0] * slope[1][1] - slope[0][1] * slope[1][0]));
}

function normal(one, other, middle) {
  const along = [other[0] - one[0], other[1] - one[1]];
  const size = Math.hypot(...along);
  let [x, y] = [along[1] / size, -along[0] / size];
  if (x * (middle[0] - one[0]) + y * (middle[1] - one[1]) > 0) [x, y] = [-x, -y];
  return [x, y, x * one[0] + y * one[1]];
}

/** Corners of the polygon in which the middle of a rectangle may lie; none if it is too large. */
export function middles(planes, halfWidth, ratio) {
  let polygon = [[-FAR, -FAR], [FAR, -FAR], [FAR, FAR], [-FAR, FAR]];
  for (const [nx, ny, d] of planes) {
    polygon = clipped(polygon, nx, ny, d - halfWidth * (Math.abs(nx) + Math.abs(ny) / ratio));
    if (!polygon.length) break;
  }
  return polygon;
}

function clipped(polygon, nx, ny, room) {
  const kept = [];
  polygon.forEach(([x, y], place) => {
    const [beforeX, beforeY] = polygon.at(place - 1);
    const here = nx * x + ny * y - room;
    const before = nx * beforeX + ny * beforeY - room;
    if (here > 0 !== before > 0) {
      const t = before / (before - here);
      kept.push([beforeX + t * (x - beforeX), beforeY + t * (y - beforeY)]);
    }
    if (here <= 0) kept.push([x, y]);
  });
  return kept;
}

/** Half the width of the largest rectangle of a ratio inside half planes. */
export function largest(planes, ratio) {
  let low = 0;
  let high = 2 * Math.max(...planes.map(([, , d]) => Math.abs(d))) * Math.max(1, ratio) + 1;
  for (let step = 0; step < STEPS; step += 1) {
    const middle = (low + high) / 2;
    if (middles(planes, middle, ratio).length) low = middle;
    else high = middle;
  }
  return low;
}

/** The point of a convex polygon that is nearest to a place; the place itself where there is none. */
export function nearest(polygon, wanted) {
  let best = wanted;
  let least = Infinity;
  let turns = 0;
  polygon.forEach(([x, y], place) => {
    const [beforeX, beforeY] = polygon.at(place - 1);
    const along = [x - beforeX, y - beforeY];
    const away = [wanted[0] - beforeX, wanted[1] - beforeY];
    turns += along[0] * away[1] - along[1] * away[0] >= 0 ? 1 : -1;
    const length = along[0] ** 2 + along[1] ** 2;
    const t = length ? Math.min(1, Math.max(0, (along[0] * away[0] + along[1] * away[1]) / length)) : 0;
    const near = [beforeX + t * along[0], beforeY + t * along[1]];
    const apart = (wanted[0] - near[0]) ** 2 + (wanted[1] - near[1]) ** 2;
    if (apart < least) [least, best] = [apart, near];
  });
  return Math.abs(turns) === polygon.length ? wanted : best;
}

/** True if a rectangle {x, y, a, b} (middle and half sides) lies inside half planes. */
export function fits(planes, { x, y, a, b }) {
  return planes.every(([nx, ny, d]) => nx * x + ny * y + a * Math.abs(nx) + b * Math.abs(ny) <= d + 1e-6 * (1 + Math.abs(d)));
}

/** Width over height that a text such as 4:5 names; NaN for what is no ratio. */
export function ratioOf(text, taken) {
  if (text === "taken") return taken;
  const found = /^(\d{1,5}(?:\.\d{1,4})?):(\d{1,5}(?:\.\d{1,4})?)$/.exec(text);
  return found ? Number(found[1]) / Number(found[2]) : NaN;
}

/** A whole number as the server rounds: halves to the even one. */
function evenly(number) {
  const rounded = Math.round(number);
  return rounded - number === 0.5 && rounded % 2 ? rounded - 1 : rounded;
}

/** A frame as it lies on its picture. */
export class Laid {
  /** @param {{width: number, height: number}} file @param {any} frame @param {any} lens */
  constructor(file, frame, lens) {
    this.frame = frame;
    this.right = new SetRight(file, frame, lens);
    const { sideways } = this.right;
    this.turned = sideways ? { width: file.height, height: file.width } : { ...file };
    this.planes = this.right.outline();
    this.ratio = ratioOf(frame.ratio, this.turned.width / this.turned.height);
    this.most = largest(this.planes, this.ratio);
    const a = (this.most * (frame.inside ? Math.min(frame.size, 100) : frame.size)) / 100;
    let [x, y] = this.right.canvas([frame.centre[0] * file.width, frame.centre[1] * file.height]);
    if (frame.inside) [x, y] = nearest(middles(this.planes, a * (1 - 1e-9), this.ratio), [x, y]);
    this.around = { x, y, a, b: a / this.ratio };
    const coarser = Math.min(1, Math.sqrt((MOST_PIXELS * file.width * file.height * this.ratio) / (4 * a * a)));
    this.width = Math.max(1, evenly(2 * a * coarser));
    this.height = Math.max(1, evenly(((2 * a) / this.ratio) * coarser));
    this.settle(lens);
  }

  /** Where nothing has to be computed anew, the frame lies on whole pixels. */
  settle(lens) {
    const { right, frame } = this;
    const known = lens.use_known ? lens.known : { falloff: [0, 0, 0], red: 0, blue: 0 };
    const plain = right.straight && !right.turns && frame.inside && !lens.falloff && known.falloff.every((term) => term === 0);
    if (!plain || lens.red + known.red || lens.blue + known.blue) return;
    const { width: across, height: down } = this.turned;
    this.width = Math.min(this.width, across);
    this.height = Math.min(this.height, down);
    const corner = (middle, all, part) => Math.min(Math.max(evenly(all / 2 + middle - part / 2), 0), all - part);
    const left = corner(this.around.x, across, this.width);
    const top = corner(this.around.y, down, this.height);
    this.around = { x: left + this.width / 2 - across / 2, y: top + this.height / 2 - down / 2, a: this.width / 2, b: this.height / 2 };
  }

  /** From shares of the picture's sides as it was taken to shares of the frame's, and back. */
  framed({ x, y }) {
    const { width, height } = this.right.file;
    const [across, down] = this.right.canvas([x * width, y * height]);
    const { around } = this;
    return { x: (across - around.x + around.a) / (2 * around.a), y: (down - around.y + around.b) / (2 * around.b) };
  }

  taken({ x, y }) {
    const { around } = this;
    return this.share([around.x + (2 * x - 1) * around.a, around.y + (2 * y - 1) * around.b]);
  }

  /** A point of the canvas in shares of the picture's sides as it was taken. */
  share(at) {
    const { width, height } = this.right.file;
    const [x, y] = this.right.photograph(at);
    return { x: x / width, y: y / height };
  }
}
