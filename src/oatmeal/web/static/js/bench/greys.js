// Greys and colours as the numbers that a canvas holds.

export const packed = (red, green, blue) => (255 << 24) | (blue << 16) | (green << 8) | red;

/** The packed colour of every 8-bit grey. */
export const GREYS = Uint32Array.from({ length: 256 }, (_, code) => packed(code, code, code));

/** Draw the greys of a frame on a canvas, which takes the frame's size. */
export function drawGreys(canvas, { width, height, layers }) {
  if (!canvas) return;
  Object.assign(canvas, { width, height });
  const image = new ImageData(width, height);
  const out = new Uint32Array(image.data.buffer);
  layers.grey.forEach((code, place) => { out[place] = GREYS[code]; });
  canvas.getContext("2d").putImageData(image, 0, 0);
}
