// Greys and colours as the numbers that a canvas holds.

export const packed = (red, green, blue) => (255 << 24) | (blue << 16) | (green << 8) | red;

/** The packed colour of every 8-bit grey. */
export const GREYS = Uint32Array.from({ length: 256 }, (_, code) => packed(code, code, code));

/** The packed colours of a toned print's 256 greys, or nothing where it is not toned. @param {any} figures */
export const paletteOf = (figures) => (figures?.palette ? Uint32Array.from(figures.palette, ([red, green, blue]) => packed(red, green, blue)) : undefined);

/** Draw the greys of a frame on a canvas, which takes the frame's size. */
export function drawGreys(canvas, { width, height, layers }) {
  if (!canvas) return;
  Object.assign(canvas, { width, height });
  const image = new ImageData(width, height);
  const out = new Uint32Array(image.data.buffer);
  layers.grey.forEach((code, place) => { out[place] = GREYS[code]; });
  canvas.getContext("2d").putImageData(image, 0, 0);
}
