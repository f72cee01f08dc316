// What a page and a browser hold for its scripts: data written into the page, places to draw on, what is remembered.

/** What the server wrote into an element. @param {string} id @returns {any} */
export const toldBy = (id) => JSON.parse(/** @type {HTMLElement} */ (document.getElementById(id)).textContent ?? "null");

/** What was kept under a key in this browser, or nothing. @param {string} key @returns {any} */
export const remembered = (key) => JSON.parse(localStorage.getItem(key) ?? "null");

/** Where a canvas is drawn on. @param {HTMLCanvasElement} canvas */
export const context = (canvas) => /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));

/** What stands in a page and is surely there. @param {ParentNode} root @param {string} selector @returns {HTMLElement} */
export const partOf = (root, selector) => /** @type {HTMLElement} */ (root.querySelector(selector));
