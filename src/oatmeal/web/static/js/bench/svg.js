// Small helpers for drawn instruments.

const NAMESPACE = "http://www.w3.org/2000/svg";

/** Make an SVG element with attributes and children. */
export function svg(tag, attributes = {}, ...children) {
  const element = document.createElementNS(NAMESPACE, tag);
  set(element, attributes);
  element.append(...children);
  return element;
}

export function set(element, attributes) {
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
}

/** Put the ring that tells how large a brush is round the pointer; null takes it away. @param {Element} brush @param {{x: number, y: number}|null} at @param {number} [radius] */
export function brushAt(brush, at, radius = 0) {
  if (at) set(brush, { visibility: "visible", cx: at.x, cy: at.y, r: radius });
  else if (brush.getAttribute("visibility") !== "hidden") set(brush, { visibility: "hidden" });
}

/** Pointer position in the units of the drawing. */
export function place(drawing, event) {
  const box = drawing.getBoundingClientRect();
  const view = drawing.viewBox.baseVal;
  return {
    x: view.x + ((event.clientX - box.left) / box.width) * view.width,
    y: view.y + ((event.clientY - box.top) / box.height) * view.height,
  };
}

/** Follow a drag from pointerdown to its end; `end` gets the last event, of type pointercancel if it was called off. */
export function follow(element, event, moved, end) {
  element.setPointerCapture(event.pointerId);
  const move = (next) => next.pointerId === event.pointerId && moved(next);
  const stop = (last) => {
    if (last.pointerId !== event.pointerId) return;
    element.removeEventListener("pointermove", move);
    element.removeEventListener("pointerup", stop);
    element.removeEventListener("pointercancel", stop);
    end(last);
  };
  element.addEventListener("pointermove", move);
  element.addEventListener("pointerup", stop);
  element.addEventListener("pointercancel", stop);
}

const hex = (code) => code.toString(16).padStart(2, "0");

/** The colour of an 8-bit grey. */
export const grey = (code) => `#${hex(code)}${hex(code)}${hex(code)}`;

/** The 8-bit code nearest to a lightness, looked up in the meter's readings. */
export function codeOf(lightness, readings) {
  let low = 0;
  let high = 255;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (readings[middle].lightness < lightness) low = middle;
    else high = middle;
  }
  return lightness - readings[low].lightness < readings[high].lightness - lightness ? low : high;
}
