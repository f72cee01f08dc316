// Greys and colours as the numbers that a canvas holds.
import { context } from "../told.js";

export const packed = (red, green, blue) => (255 << 24) | (blue << 16) | (green << 8) | red;

/** The packed colour of every 8-bit grey. */
export const GREYS = Uint32Array.from({ length: 256 }, (_, code) => packed(code, code, code));

/** The packed colours of a toned print's 256 greys, or nothing where it is not toned. @param {any} figures */
export const paletteOf = (figures) => (figures?.palette ? Uint32Array.from(figures.palette, ([red, green, blue]) => packed(red, green, blue)) : undefined);

/**
 * The finished picture of a frame: its greys, and what they are drawn in: the print's own colours where it
 * has any, or those that toning gives its greys.
 */
export const finished = ({ width, height, region, layers, figures }) => ({
  width, height, region, data: layers.grey, colours: layers.print, palette: paletteOf(figures),
});

/** Fill packed pixels with a layer. @param {Uint32Array} out @param {any} layer one or three numbers a pixel */
export function fill(out, { data, colours, palette }) {
  const codes = colours || data;
  const table = palette || GREYS;
  if (codes.length === 3 * out.length) {
    for (let i = 0, j = 0; i < out.length; i += 1, j += 3) out[i] = packed(codes[j], codes[j + 1], codes[j + 2]);
  } else for (let i = 0; i < out.length; i += 1) out[i] = table[codes[i]];
}

const CHECK = 8;
const CHECKS = [232, 200];

/**
 * Let the checked ground show where a layer is transparent.
 * @param {Uint32Array} out its packed pixels @param {any} layer with the size of the whole picture @param {any} opacity its own region, or the whole
 */
export function checked(out, { width, height, region, size }, opacity) {
  const [left, top, wide, high] = region || [0, 0, size.width, size.height];
  const [offX, offY, ofWide, ofHigh] = opacity.region || [0, 0, size.width, size.height];
  const at = (count, low, length, off, whole, cells) => Int32Array.from({ length: count }, (_, i) => (
    Math.min(cells - 1, Math.max(0, Math.floor(((low + ((i + 0.5) * length) / count - off) / whole) * cells)))));
  const columns = at(width, left, wide, offX, ofWide, opacity.width);
  const rows = at(height, top, high, offY, ofHigh, opacity.height);
  for (let y = 0, i = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1, i += 1) {
      const share = opacity.data[rows[y] * opacity.width + columns[x]] / 255;
      if (share === 1) continue;
      const ground = CHECKS[((x / CHECK) ^ (y / CHECK)) & 1] * (1 - share);
      const over = (/** @type {number} */ shift) => Math.round(((out[i] >> shift) & 255) * share + ground);
      out[i] = packed(over(0), over(8), over(16));
    }
  }
}

/** Draw the finished picture of a frame on a canvas, which takes the frame's size. */
export function drawGreys(canvas, frame) {
  if (!canvas) return;
  const { width, height } = frame;
  Object.assign(canvas, { width, height });
  const image = new ImageData(width, height);
  fill(new Uint32Array(image.data.buffer), finished(frame));
  context(canvas).putImageData(image, 0, 0);
}
