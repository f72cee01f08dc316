"""What a page must never do: run what stands in a name, or keep silent about a lost original."""

import hashlib
from html import unescape

import samples
from playwright.sync_api import expect
from samples import DEMO, codes

from oatmeal.core.recipe import from_document
from oatmeal.library import history, photographs, recipes, series, versions
from oatmeal.photofile.decode import Limits
from oatmeal.settings import Settings

BUNTING = DEMO / "bunting.jpg"

HOSTILE = (
    '<img src=x onerror="window.owned=1">',
    '"><script>window.owned=2</script>',
    "{{ 7*7 }} ${window.owned=3} '-window.owned=4-'",
    "javascript:window.owned=5",
    "</script><svg onload=window.owned=6>",
)


def png(seed):
    """Bytes of a small picture."""
    return samples.png(codes(90, 120, seed=seed))


def test_hostile_names_are_shown_and_never_run(desk, page, live):
    """A series, a photograph, its version, a kept state, a pin and a recipe of each name."""
    with desk.database.session() as session:
        for name in HOSTILE:
            series.create(session, name)
    for count, name in enumerate(HOSTILE, 1):
        desk.importer.add(1, f"{count}.png", [png(count)])
        with desk.database.session() as session:
            photographs.rename(session, count, name)
            versions.rename(session, count, name)
            saved = versions.save(session, count, 1, from_document({"mix": {"lifts": {"red": 1}}}))
            history.keep(session, count, saved["head"], name)
            pins = [{"x": 0.5, "y": 0.5, "label": name[:40]}]
            versions.pin(session, count, saved["revision"], pins)
            kept = recipes.save(session, name, from_document({"tone": {"veil": count}}))
            recipes.describe(session, kept["id"], note=name, tags=name)
    benches = {f"/bench/{count}": [name] for count, name in enumerate(HOSTILE, 1)}
    lists = dict.fromkeys(("/", "/series/1", "/recipes?photograph=1"), HOSTILE)
    for address, names in {**benches, **lists, "/exports": ()}.items():
        page.goto(f"{live}{address}")
        if address in benches:
            desk.wait()
            if address == "/bench/1":  # it stays open
                page.get_by_role("button", name="History").click()
            expect(page.get_by_text(names[0], exact=False).first).to_be_visible()
        page.wait_for_timeout(150)
        assert page.evaluate("window.owned") is None, address
        assert page.locator("img[src='x'], svg[onload]").count() == 0, address
        content = unescape(page.content())
        assert [name for name in names if name not in content] == [], address


def kept(desk, content, suffix):
    """Where an original lies; other tests keep theirs in the same folder."""
    return desk.importer.store.original(hashlib.sha256(content).hexdigest(), suffix)


def test_a_lost_original_is_said_on_the_bench_and_put_back(desk, page, quiet):
    desk.begin(BUNTING)
    content = BUNTING.read_bytes()
    original = kept(desk, content, ".jpg")
    mast = png(77)
    desk.importer.add(1, "mast.png", [mast])
    lost = kept(desk, mast, ".png")
    lost.unlink()
    quiet.expected = ("422",)
    page.goto(f"{desk.live}/bench/2")
    desk.wait()
    line = page.locator(".toastline")
    expect(line).to_contain_text("The original of mast.png in Oatmeal's folder is missing: add the")
    desk.importer.add(1, "mast.png", [mast])
    assert lost.read_bytes() == mast
    assert original.read_bytes() == content
    page.reload()
    desk.wait()
    expect(line).to_have_count(0)


def test_a_file_over_the_limit_is_told_in_a_sentence(desk_with, page, tmp_path, quiet):
    """The server refuses it before the application hears of it."""
    settings = Settings(tmp_path, limits=Limits(max_bytes=1_000_000), access="machine")
    quiet.expected = ("413",)
    desk_with(settings).drop(("huge.tif", bytes(4_000_000)))
    said = page.get_by_text("What was sent is larger than the 1.0 MB that are accepted")
    expect(said.first).to_be_visible()
    expect(page.get_by_text("did not answer as expected")).to_have_count(0)


def test_nothing_is_put_aside_that_the_server_has(desk, page):
    """After an area was drawn the page kept its own form of it, and took the server's for newer."""
    desk.begin(BUNTING)
    page.keyboard.press("a")
    page.get_by_role("button", name="Fade", exact=True).click()
    page.mouse.move(760, 200)
    page.mouse.down()
    page.mouse.move(780, 420, steps=4)
    page.mouse.up()
    desk.settled()
    assert len(desk.recipe().areas.list) == 1
    page.locator(".where a").click()
    page.wait_for_url("**/series/1")
    kept = "Object.keys(localStorage).filter((key) => key.includes('unsaved'))"
    assert page.evaluate(kept) == []
    with desk.database.session() as session:
        version = versions.get(session, 1)
        versions.save(session, 1, version.revision, from_document({"tone": {"contrast": 40}}))
    page.goto(f"{desk.live}/bench/1")
    desk.wait()
    expect(page.get_by_text("was changed in another tab")).to_be_hidden()
    assert desk.recipe().tone.contrast == 40
    shown = "document.querySelector('.bench')._x_dataStack[0].work.recipe.tone.contrast"
    assert page.evaluate(shown) == 40
