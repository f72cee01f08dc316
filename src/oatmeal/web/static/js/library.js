// What a page leaves in the browser, named by the library it belongs to: another one at the same address has its own.

const library = /** @type {HTMLMetaElement} */ (document.querySelector('meta[name="library"]')).content;

/** @param {string} name @returns {string} under which to keep something of this library */
export const own = (name) => `${name}-${library}`;
