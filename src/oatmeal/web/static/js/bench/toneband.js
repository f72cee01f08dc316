// The tone band: one bar whose eleven segments are as wide as the share of the picture in each zone.
import { codeOf, grey } from "./svg.js";

const ZONES = ["0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"];
const LABEL_FROM = 0.035;

/** @param {HTMLElement} bar @param {number[]} shares @param {any[]} readings @param {boolean} labelled */
export function band(bar, shares, readings, labelled) {
  while (bar.childElementCount < ZONES.length) bar.append(document.createElement("div"));
  const parts = [];
  shares.forEach((share, zone) => {
    const segment = /** @type {HTMLElement} */ (bar.children[zone]);
    segment.style.flex = `${share} 0 0`;
    segment.style.background = grey(codeOf(zone * 10, readings));
    segment.style.color = zone < 6 ? "#f4eee3" : "#2a2622";
    segment.textContent = labelled && share >= LABEL_FROM ? ZONES[zone] : "";
    segment.title = `zone ${ZONES[zone]}: ${(share * 100).toFixed(1)} %`;
    parts.push(segment.title);
  });
  bar.setAttribute("role", "img");
  bar.setAttribute("aria-label", parts.join(", "));
}
