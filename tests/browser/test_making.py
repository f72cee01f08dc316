"""The bench while the server is still making ready what a step needs."""

import pytest
from playwright.sync_api import expect
from samples import DEMO

from oatmeal.core import loops
from oatmeal.core.kernels import Making, NotReady, patience


class Compiling:
    """What the server tells of itself; loops of ``rooms`` are not ready."""

    def __init__(self):
        self.rooms = {"oatmeal.core.areas.kernels"}

    def before(self, room):
        if room in self.rooms and patience.get() is not None:
            raise NotReady("Areas", 20.0)

    def status(self, making):
        left = {"Areas": 20, "joins": 25} if self.rooms else {}
        return {
            "ready": not left, "seconds": 25, "share": 0.4, "steps": left, "asked": ["Areas"],
        }  # fmt: skip


@pytest.fixture
def compiling(monkeypatch):
    state = Compiling()
    monkeypatch.setattr(Making, "ready", property(lambda making: not state.rooms))
    monkeypatch.setattr(Making, "status", lambda making: state.status(making))
    loops.ask_before(state.before)
    yield state
    loops.ask_before(None)


def test_a_step_that_is_not_ready_says_so_and_comes_by_itself(desk, page, compiling, quiet):
    desk.begin(DEMO / "bunting.jpg")
    bar = page.locator(".making")
    expect(bar).to_contain_text(
        "Making ready: Areas, joins, 25 s. Areas first, as it is waited for."
    )
    areas = page.get_by_role("tab", name="Areas")
    expect(areas).to_contain_text("ready in 20 s")
    expect(page.get_by_role("tab", name="Tone")).to_contain_text("contrast")
    # the bench is whole under the bar
    box = page.locator(".bench").bounding_box()
    assert box["y"] + box["height"] == pytest.approx(800, abs=1)
    areas.click()
    page.get_by_role("button", name="ellipse").click()
    page.mouse.move(800, 300)
    page.mouse.down()
    page.mouse.move(900, 380, steps=3)
    page.mouse.up()
    chip = page.locator(".shown-as")
    expect(chip).to_contain_text("Making ready: Areas, 20 s")
    compiling.rooms.clear()
    expect(bar).to_be_hidden()
    desk.wait()
    expect(chip).not_to_contain_text("Making ready")
    expect(areas).to_contain_text("parts")
    quiet.expected = ("503",)
