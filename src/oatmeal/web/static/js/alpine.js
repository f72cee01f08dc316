// Alpine, with the types of what Oatmeal uses of it.
import made from "../vendor/alpine-csp.js";

/** @type {import("./types/alpine.js").Alpine} */
const Alpine = /** @type {any} */ (made);

export default Alpine;
