// Asking for frames: one request under way, the newest wish waiting (the latest wins).
import { send } from "../api.js";

/**
 * @typedef {object} Frame
 * @property {number} width
 * @property {number} height
 * @property {[number, number]} size of the photograph as it is framed, in the file's pixels
 * @property {number[]|null} region x, y, width, height in those pixels
 * @property {Object<string, Uint8Array>} layers
 * @property {any} figures
 * @property {any} wish what was asked for
 */

/**
 * What an answer holds: the length of its header, the header, the layers one after the other.
 * @param {Response} response
 */
export async function unpacked(response) {
  const buffer = await response.arrayBuffer();
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const sent = {};
  let offset = 4 + length;
  for (const [name, channels] of header.layers) {
    const size = header.width * header.height * channels;
    sent[name] = new Uint8Array(buffer, offset, size);
    offset += size;
  }
  return { ...header, layers: sent };
}

export class Frames {
  /**
   * @param {number} photograph
   * @param {(frame: Frame) => void} arrived
   * @param {(problem: Error) => void} failed
   * @param {() => void} [idle] called when nothing is wanted any more
   */
  constructor(photograph, arrived, failed, idle = () => {}) {
    this.address = `/api/photographs/${photograph}/frame`;
    this.arrived = arrived;
    this.failed = failed;
    this.idle = idle;
    /** @type {(() => any)|null} */
    this.waiting = null;
    this.busy = false;
  }

  /**
   * Ask for a frame; a wish that has not left yet is replaced.
   * @param {() => any} make puts the wish together when it can be sent
   */
  ask(make) {
    this.waiting = make;
    if (!this.busy) this.run();
  }

  async run() {
    this.busy = true;
    while (this.waiting) {
      const make = this.waiting;
      this.waiting = null;
      try {
        this.arrived(await this.fetch(make()));
      } catch (problem) {
        if (!(problem.body?.making && this.waiting)) this.failed(problem);
      }
    }
    this.busy = false;
    this.idle();
  }

  /** @param {any} wish @param {AbortSignal} [signal] @returns {Promise<Frame>} */
  async fetch(wish, signal) {
    const { half: _half, moving: _moving, ...body } = wish; // what only the page needs to know of it
    const response = await send("POST", this.address, body, { signal, superseded: () => this.waiting !== null });
    return { ...(await unpacked(response)), wish };
  }
}
