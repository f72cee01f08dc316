// Talking to the server: JSON in and out, errors as one sentence.

export class Problem extends Error {
  /** @param {number} status @param {any} body */
  constructor(status, body) {
    super(body?.detail || "The server did not answer as expected. Try again.");
    this.status = status;
    this.body = body;
  }
}

/** How long the server may wait for what it is still making ready (RFC 7240), and until it is asked again. */
const PATIENCE_S = 1;
const AGAIN_MS = 300;

const token = () => /** @type {HTMLMetaElement} */ (document.querySelector('meta[name="csrf-token"]')).content;

/**
 * Send a request, again while the server is still making ready what it needs; resolves to the response, rejects with a Problem.
 * @param {string} method @param {string} address @param {any} [body]
 * @param {{signal?: AbortSignal, keepalive?: boolean, superseded?: () => boolean}} [options]
 * @returns {Promise<Response>}
 */
export async function send(method, address, body, options = {}) {
  const { superseded, ...more } = options;
  const headers = { "X-CSRFToken": token(), Prefer: `wait=${PATIENCE_S}` };
  if (body !== undefined) headers["Content-Type"] = "application/json";
  let response;
  try {
    response = await fetch(address, {
      method, headers, body: body === undefined ? undefined : JSON.stringify(body), ...more,
    });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Problem(0, { detail: "Oatmeal does not answer. Is it still running?" });
  }
  if (response.ok) return response;
  const told = await response.json().catch(() => null);
  if (!told?.making || superseded?.()) throw new Problem(response.status, told);
  window.dispatchEvent(new CustomEvent("making", { detail: told.making }));
  await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
  if (more.signal?.aborted) throw new DOMException("cancelled", "AbortError");
  return send(method, address, body, options);
}

/** Send a request and read the JSON answer. */
export async function ask(method, address, body, more) {
  return (await send(method, address, body, more)).json();
}

/**
 * Show a line at the foot of the page, with something to do if wanted, as long as that holds.
 * @param {string} text @param {string} [action] @param {() => any} [act] @param {() => boolean} [holds]
 */
export function say(text, action, act, holds) {
  window.dispatchEvent(new CustomEvent("say", { detail: { text, action, act, holds } }));
}

/** Leave a line for the page that is about to open. */
export function sayNext(text, action, request) {
  sessionStorage.setItem("say", JSON.stringify({ text, action, request }));
}

/**
 * Send a file with progress.
 * @param {string} address @param {File} file
 * @param {(share: number) => void} progress
 * @param {AbortSignal} signal
 */
export function upload(address, file, progress, signal) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-CSRFToken", token());
    request.setRequestHeader("X-File-Name", encodeURIComponent(file.name));
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total));
    request.onload = () => {
      let body = null;
      try { body = JSON.parse(request.responseText); } catch { /* no JSON, said below */ }
      if (request.status < 300 && body) resolve(body);
      else reject(new Problem(request.status, body));
    };
    request.onerror = () => reject(new Problem(0, {
      detail: "The connection broke. Is Oatmeal still running?",
    }));
    request.onabort = () => reject(new DOMException("cancelled", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
