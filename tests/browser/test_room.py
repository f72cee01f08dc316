"""Nothing is cut off: every group of the bench at 1280 pixels with its longest values."""

import pytest
from samples import DEMO
from walked import RECIPE, groups

from oatmeal.core.recipe import from_document
from oatmeal.library import versions
from oatmeal.web.vocabulary import vocabulary

BUNTING = DEMO / "bunting.jpg"

#: What is cut of the texts that are seen now; numbers hold the longest that they may.
CUT = """
([part, settings]) => {
  const longest = (one) => {
    const places = Math.max(0, -Math.floor(Math.log10(one.step) + 1e-9));
    const all = [one.low, one.high, one.low + 7 * one.step].map((value) => {
      const text = value.toFixed(Math.abs(value) === Math.abs(one.low + 7 * one.step) ? places : 0);
      return (one.signed && value > 0 ? "+" : "") + text.replace("-", "\\u2212");
    });
    return all.sort((one, other) => other.length - one.length)[0];
  };
  const how = { visibilityProperty: true, opacityProperty: true };
  const seen = (element) => element.checkVisibility(how) && !element.closest(".sr");
  const cut = [];
  const side = document.querySelector(part);
  const frame = side.getBoundingClientRect();
  for (const input of side.querySelectorAll("input.number")) {
    if (!seen(input)) continue;
    const path = input.dataset.path || "";
    const one = settings[path] || settings[path.replace(/\\.\\d+\\./g, ".*.")];
    const kept = input.value;
    if (one?.kind === "number") input.value = longest(one);
    if (input.scrollWidth > input.clientWidth + 1) cut.push(`${input.ariaLabel}: ${input.value}`);
    input.value = kept;
  }
  const texts = document.createTreeWalker(side, NodeFilter.SHOW_TEXT);
  for (let node = texts.nextNode(); node; node = texts.nextNode()) {
    const holder = node.parentElement;
    if (!node.textContent.trim() || !seen(holder)) continue;
    if (holder.closest("svg, select, datalist")) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    const box = range.getBoundingClientRect();
    if (!box.width) continue;
    for (let around = holder; side.contains(around); around = around.parentElement) {
      const style = getComputedStyle(around);
      const scrolls = style.overflowX === "auto" || style.overflowX === "scroll";
      if (scrolls) break;
      const edge = around.getBoundingClientRect();
      const hides = style.overflowX !== "visible" || around === side;
      if (hides && (box.right > edge.right + 1 || box.left < edge.left - 1)) {
        cut.push(`${node.textContent.trim()} (in ${around.className || around.tagName})`);
        break;
      }
    }
    if (box.right > frame.right + 1) cut.push(`${node.textContent.trim()} beyond the panel`);
  }
  return [...new Set(cut)];
}
"""


@pytest.fixture
def room(desk, page):
    desk.begin(BUNTING)
    with desk.database.session() as session:
        versions.save(session, 1, 1, from_document(RECIPE))
        versions.rename(session, 1, "Dark")
    page.reload()
    desk.wait()
    return desk


def test_no_text_is_cut_in_any_group(room, page):
    cut = {}

    def look(where, part=".side"):
        if found := page.evaluate(CUT, [part, vocabulary()["settings"]]):
            cut[where] = found

    for where in groups(room, page):
        look(where)
    look("the bar above", ".topbar")
    look("the tone band", ".below")
    assert cut == {}, "\n".join(f"{k}: {v}" for k, v in cut.items())
