// The tone band: one bar whose eleven segments are as wide as the share of the picture in each zone.
import { codeOf, grey } from "./svg.js";

const ZONES = ["0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"];
/** Share of the band that a label needs, and that each of its letters takes. */
const ROOM = 0.016;
const LETTER = 0.017;

/** @param {HTMLElement} bar @param {number[]} shares @param {any[]} readings @param {boolean} labelled */
export function band(bar, shares, readings, labelled) {
  while (bar.childElementCount < ZONES.length) bar.append(document.createElement("div"));
  const parts = [];
  shares.forEach((share, zone) => {
    const segment = /** @type {HTMLElement} */ (bar.children[zone]);
    segment.style.flex = `${share} 0 0`;
    segment.style.background = grey(codeOf(zone * 10, readings));
    segment.style.color = zone < 6 ? "#f4eee3" : "#2a2622";
    segment.textContent = labelled && share >= ROOM + LETTER * ZONES[zone].length ? ZONES[zone] : "";
    segment.title = `zone ${ZONES[zone]}: ${(share * 100).toFixed(1)} %`;
    parts.push(segment.title);
  });
  bar.setAttribute("role", "img");
  bar.setAttribute("aria-label", parts.join(", "));
}
