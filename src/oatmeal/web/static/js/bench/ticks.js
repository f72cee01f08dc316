// What Alpine offers beyond its elements, for parts that are no elements.
import Alpine from "../alpine.js";

/** After the page was drawn again. @param {() => void} [then] */
export const nextTick = (then) => Alpine.nextTick(then);
