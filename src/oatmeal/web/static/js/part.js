// A part of a page that declares what it uses of the others.

/**
 * Declare a part of a component: its methods may use its own members, those named by `Uses`, and what
 * Alpine adds.
 * @template [Uses=unknown]
 * @typedef {<Own>(own: Own & ThisType<Own & Uses & import("./types/alpine.js").Magics>) => Own} Part
 */

/** @type {Part<any>} */
export const part = (own) => own;
