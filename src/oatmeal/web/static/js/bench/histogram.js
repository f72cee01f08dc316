// The histogram of what is shown: of its greys, or of red, green and blue with what clips of each.
import { context } from "../told.js";

const BINS = 128;
/** Pixels that are counted at the most. */
const SAMPLES = 120_000;
/** A spike counts no more than this share of all, so that the rest stays readable. */
const MOST = 0.03;
const INKS = ["#d9483b", "#3d9a4b", "#3f6fd1"];

/**
 * @typedef {object} Counted
 * @property {number[][]} counts shares of each channel in bins
 * @property {number[]} low shares of each channel at its lowest code
 * @property {number[]} high
 */

/** Count a layer of one or three 8-bit numbers a pixel. @param {{width: number, height: number, data: Uint8Array}} layer @returns {Counted} */
export function counted({ width, height, data }) {
  const channels = data.length / (width * height);
  const step = Math.max(1, Math.ceil((width * height) / SAMPLES)) | 1; // odd, so that no columns are left out
  const counts = Array.from({ length: channels }, () => new Array(BINS).fill(0));
  const low = new Array(channels).fill(0);
  const high = new Array(channels).fill(0);
  let all = 0;
  for (let pixel = 0; pixel < width * height; pixel += step, all += 1) {
    for (let channel = 0; channel < channels; channel += 1) {
      const code = data[pixel * channels + channel];
      counts[channel][code >> 1] += 1;
      if (code === 0) low[channel] += 1;
      else if (code === 255) high[channel] += 1;
    }
  }
  const shares = (/** @type {number[]} */ list) => list.map((count) => count / all);
  return { counts: counts.map(shares), low: shares(low), high: shares(high) };
}

/** @param {HTMLCanvasElement} canvas @param {Counted} found */
export function drawHistogram(canvas, { counts }) {
  const { width, height } = canvas;
  const drawing = context(canvas);
  const ink = getComputedStyle(canvas).color;
  drawing.clearRect(0, 0, width, height);
  const top = Math.min(MOST, Math.max(...counts.flatMap((list) => list.slice(1, -1)), 1e-6));
  counts.forEach((list, channel) => {
    drawing.beginPath();
    drawing.moveTo(0, height);
    list.forEach((share, bin) => drawing.lineTo(((bin + 0.5) * width) / BINS, height * (1 - Math.min(1, share / top))));
    drawing.lineTo(width, height);
    drawing.globalAlpha = counts.length > 1 ? 0.55 : 0.75;
    drawing.fillStyle = counts.length > 1 ? INKS[channel] : ink;
    drawing.fill();
  });
  drawing.globalAlpha = 1;
}
