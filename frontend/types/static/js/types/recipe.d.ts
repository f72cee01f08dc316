// Types of a recipe, written by python -m oatmeal.core.recipe.published.

export interface Recipe {
  oatmeal: 1;
  name: string;
  prepare: Prepare;
  mix: Mix;
  tone: Tone;
  areas: Record<string, any>[];
  finish: Finish;
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

export interface EdgeColour {
  purple: number;
  green: number;
  width: number;
}

export interface Film {
  kind: "film";
  film: "panchromatic" | "orthochromatic" | "long-red";
  filter: "none" | "light-yellow" | "yellow" | "deep-yellow" | "orange" | "red" | "deep-red" | "yellow-green" | "green" | "blue";
  strength: number;
  film_edges?: [number, number];
  filter_edges?: [number, number];
}

export interface Finish {
  on: boolean;
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
