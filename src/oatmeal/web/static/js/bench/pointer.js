// What a hand does with a pointer or with arrow keys, said once for all that is dragged.

/** From so many pixels on a press is a drag. */
const MOVED_PX = 3;

/**
 * True where the pointer has gone so far that a press is a drag.
 * @param {{clientX: number, clientY: number}} from @param {{clientX: number, clientY: number}} to
 */
export const dragged = (from, to) => Math.hypot(to.clientX - from.clientX, to.clientY - from.clientY) >= MOVED_PX;

/** Which way arrow keys lead on a picture, whose second axis goes down. @type {Object<string, number[]>} */
export const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** The same in a field, whose second axis goes up. @type {Object<string, number[]>} */
export const ARROWS_UP = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };

/** How far an arrow moves a place on the picture, in pixels; with Shift finely. @param {{shiftKey: boolean}} event */
export const nudged = ({ shiftKey }) => (shiftKey ? 1 : 10);
