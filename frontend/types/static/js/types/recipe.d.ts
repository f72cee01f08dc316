// Types of a recipe, written by python -m oatmeal.core.recipe.published.

export interface Recipe {
  oatmeal: 1;
  name: string;
  prepare: Prepare;
  mix: Mix;
  tone: Tone;
  areas: Areas;
  finish: Finish;
}

export interface Alike {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "alike";
  this: string[];
  not: string[];
  reach: number;
  tolerance: number;
  softness: number;
  joined: boolean;
}

export interface Area {
  id: string;
  name: string;
  on: boolean;
  kind: "area" | "shield";
  group: string;
  amount: number;
  move: [number, number];
  opposite: boolean;
  mask: any[];
  values: Values;
}

export interface Areas {
  on: boolean;
  groups: Group[];
  list: Area[];
}

export interface Border {
  on: boolean;
  uneven: Uneven;
  gap: number;
  line: number;
  line_grey: number;
  mat: number;
  mat_grey: number;
  base: number;
}

export interface Burned {
  on: boolean;
  top: BurnedEdge;
  right: BurnedEdge;
  bottom: BurnedEdge;
  left: BurnedEdge;
}

export interface BurnedEdge {
  amount: number;
  reach: number;
  softness: number;
}

export interface Centres {
  red: number;
  orange: number;
  yellow: number;
  green: number;
  cyan: number;
  blue: number;
  purple: number;
  magenta: number;
}

export interface Channels {
  kind: "channels";
  red: number;
  green: number;
  blue: number;
  offset: number;
  hold_total: boolean;
  light: "encoded" | "linear";
}

export interface Colours {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "colours";
  hue: number;
  width: number;
  soft: number;
  colour?: string;
  reach: number;
}

export interface Dust {
  on: boolean;
  amount: number;
  size: number;
  light: boolean;
  seed: number;
}

export interface EdgeColour {
  purple: number;
  green: number;
  width: number;
}

export interface Ellipse {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "ellipse";
  centre: [number, number];
  radii: [number, number];
  angle: number;
  feather: number;
}

export interface Fade {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "fade";
  from: [number, number];
  to: [number, number];
}

export interface Falloff {
  on: boolean;
  amount: number;
  midpoint: number;
  softness: number;
  roundness: number;
  centre: [number, number];
  spare: number;
}

export interface Film {
  kind: "film";
  film: "panchromatic" | "orthochromatic" | "long-red";
  filter: "none" | "light-yellow" | "yellow" | "deep-yellow" | "orange" | "red" | "deep-red" | "yellow-green" | "green" | "blue" | "purple";
  second: "none" | "light-yellow" | "yellow" | "deep-yellow" | "orange" | "red" | "deep-red" | "yellow-green" | "green" | "blue" | "purple";
  strength: number;
  film_edges?: [number, number];
  filter_edges?: [number, number];
}

export interface Finish {
  on: boolean;
  sharpness: Sharpness;
  glow: Glow;
  grain: Grain;
  toning: Toning;
  kept: KeptColours;
  falloff: Falloff;
  burned: Burned;
  dust: Dust;
  scratches: Scratches;
  paper: Paper;
  border: Border;
}

export interface Formula {
  kind: "formula";
  text: string;
  parameters: Record<string, Parameter>;
}

export interface Frame {
  turned: "none" | "right" | "over" | "left";
  mirrored: boolean;
  angle: number;
  tip: number;
  swing: number;
  uprights: number;
  levels: number;
  focal: number;
  plumb: [[number, number], [number, number]][];
  level: [[number, number], [number, number]][];
  ratio: string;
  free: boolean;
  centre: [number, number];
  size: number;
  inside: boolean;
}

export interface Glow {
  on: boolean;
  amount: number;
  reach: number;
  threshold: number;
}

export interface Grain {
  on: boolean;
  amount: number;
  size: number;
  roughness: number;
  seed: number;
}

export interface Group {
  id: string;
  name: string;
  on: boolean;
  amount: number;
  move: [number, number];
}

export interface Kept {
  colour: string;
  reach: number;
  amount: number;
  hue: number;
  strength: number;
  bright: number;
  name: string;
  on: boolean;
}

export interface KeptColours {
  on: boolean;
  trace: number;
  colours: Kept[];
}

export interface KeptHere {
  amount: number;
  hue: number;
  strength: number;
  bright: number;
}

export interface Known {
  name: string;
  bend: [number, number, number];
  falloff: [number, number, number];
  red: number;
  blue: number;
}

export interface Lens {
  bend: number;
  falloff: number;
  red: number;
  blue: number;
  use_known: boolean;
  known: Known;
  developed: string;
}

export interface Levels {
  black: number;
  middle: number;
  white: number;
  out_black: number;
  out_white: number;
}

export interface Lifts {
  red: number;
  orange: number;
  yellow: number;
  green: number;
  cyan: number;
  blue: number;
  purple: number;
  magenta: number;
}

export interface Light {
  warmth: number;
  tint: number;
  exposure: number;
  colour: number;
  highlights: number;
  shadows: number;
  camera: [number, number][];
}

export interface Mix {
  on: boolean;
  base: any;
  lifts: Lifts;
  centres: Centres;
  pale: number;
  picked: Picked[];
  guard: number | "auto";
}

export interface NoiseTaken {
  light: number;
  colour: number;
  level: number;
}

export interface OfArea {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "area";
  area: string;
}

export interface Outline {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "outline";
  path: string;
  feather: number;
}

export interface Painted {
  amount: number;
  colour: string;
}

export interface Paper {
  on: boolean;
  amount: number;
  size: number;
  seed: number;
}

export interface Parameter {
  value: number;
  low: number;
  high: number;
}

export interface Picked {
  colour: string;
  reach: number;
  lift: number;
  name: string;
  on: boolean;
}

export interface Plain {
  kind: "plain";
  weighing: "luminance" | "luma-601" | "luma-709" | "average" | "lightest" | "darkest" | "middle";
}

export interface Prepare {
  on: boolean;
  frame: Frame;
  lens: Lens;
  noise: NoiseTaken;
  edge_colour: EdgeColour;
  spots: Spot[];
  light: Light;
  threads: Threads;
  light_on: boolean;
  threads_on: boolean;
  clean_on: boolean;
}

export interface Scratches {
  on: boolean;
  amount: number;
  direction: number;
  light: boolean;
  seed: number;
}

export interface Sharpness {
  on: boolean;
  amount: number;
  radius: number;
  detail: number;
  edges: number;
}

export interface Six {
  kind: "six";
  red: number;
  yellow: number;
  green: number;
  cyan: number;
  blue: number;
  magenta: number;
}

export interface Spot {
  path: string;
  radius: number;
  source: [number, number];
  copied: boolean;
  on: boolean;
}

export interface Stroke {
  path: string;
  radius: number;
  hardness: number;
  flow: number;
  max: number;
  erase: boolean;
  hold: number;
  pressure: string;
}

export interface Strokes {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "strokes";
  strokes: Stroke[];
}

export interface Thread {
  hue: number;
  strength: number;
  bright: number;
}

export interface Threads {
  red: Thread;
  orange: Thread;
  yellow: Thread;
  green: Thread;
  cyan: Thread;
  blue: Thread;
  purple: Thread;
  magenta: Thread;
}

export interface Tint {
  hue: number;
  strength: number;
}

export interface Tone {
  on: boolean;
  exposure: number;
  highlights: number;
  shadows: number;
  zones: [number, number, number, number, number, number, number, number, number];
  sparkle: number;
  depth: number;
  clarity: number;
  character: "soft" | "crisp" | "deep";
  detail: number;
  veil: number;
  levels: Levels;
  contrast: number;
  curve: [number, number][];
  hold_ends: boolean;
}

export interface Tones {
  how: "add" | "subtract" | "intersect";
  opposite: boolean;
  on: boolean;
  kind: "tones";
  low: number;
  high: number;
  soft: [number, number];
}

export interface Toning {
  on: boolean;
  lights: Tint;
  darks: Tint;
  balance: number;
}

export interface Uneven {
  width: number;
  roughness: number;
  black: number;
  seed: number;
}

export interface Values {
  exposure: number;
  highlights: number;
  shadows: number;
  sparkle: number;
  depth: number;
  clarity: number;
  detail: number;
  veil: number;
  black: number;
  white: number;
  contrast: number;
  grain: number;
  paper: number;
  character: "same" | "soft" | "crisp" | "deep";
  lifts: Lifts;
  threads: Threads;
  kept: KeptHere;
  paint: Painted;
}
