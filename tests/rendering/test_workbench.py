"""Desks of photographs in use are held by their size in memory."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from samples import codes, png

from oatmeal.core.recipe import REST
from oatmeal.host.allocator import held_bytes
from oatmeal.library import photographs
from oatmeal.photofile.errors import Lost
from oatmeal.rendering import workbench
from oatmeal.rendering.desk import Desk
from oatmeal.rendering.requests import Request
from oatmeal.rendering.workbench import Workbench
from oatmeal.settings import SettingError, Settings


@pytest.fixture
def found(web, app):
    """Four photographs of one size."""
    number = web.series()
    for seed in range(4):
        web.upload(number, f"{seed}.png", png(codes(200, 300, seed=seed)))
    with app.extensions["oatmeal"].database.session() as session:
        return [photographs.get(session, one) for one in (1, 2, 3, 4)]


@pytest.fixture
def bench(app):
    """What makes a workbench of some size."""
    proxies = app.extensions["oatmeal"].workbench._proxies
    return lambda most_bytes: Workbench(proxies, most_bytes)


def used(bench, photograph):
    desk = bench.desk(photograph)
    desk.frame(Request(REST, 300))
    bench.weigh()
    assert bench.desk(photograph) is desk
    return desk


def test_desks_stay_while_they_fit_and_the_longest_unused_goes(bench, found):
    roomy = bench(1 << 30)
    one = used(roomy, found[0])
    for photograph in found[1:]:
        used(roomy, photograph)
    assert roomy.desk(found[0]) is one
    size = held_bytes(one, workbench.NO_ARRAYS)
    tight = bench(int(2.5 * size))  # two of them and a half
    first, second = used(tight, found[0]), used(tight, found[1])
    assert tight.desk(found[0]) is first
    used(tight, found[2])
    assert tight.desk(found[0]) is first  # used more lately than the second
    assert tight.desk(found[1]) is not second


def test_the_one_that_is_worked_on_stays_however_large(bench, found):
    tiny = bench(1)
    one = used(tiny, found[0])
    assert tiny.desk(found[0]) is one
    used(tiny, found[1])
    assert tiny.desk(found[0]) is not one


def test_desks_are_weighed_after_their_frames_by_themselves(bench, found):
    """As they were set up all would fit; after a frame each only two do."""
    empty = held_bytes(bench(1 << 30).desk(found[0]), workbench.NO_ARRAYS)
    tight = bench(int(5.5 * empty))
    for photograph in found:
        tight.desk(photograph).frame(Request(REST, 300))
        tight.desk(photograph).source()
    end = time.monotonic() + 20
    while sum(map(held_bytes, list(tight._desks.values()))) > 5.5 * empty:
        assert time.monotonic() < end
        time.sleep(0.05)


def test_a_desk_weighs_its_arrays_once_each(bench, found):
    desk = bench(1 << 30).desk(found[0])
    empty = held_bytes(desk, workbench.NO_ARRAYS)
    assert empty >= 200 * 300 * 3 * 4  # the copy
    desk.frame(Request(REST, 150))
    smaller = held_bytes(desk, workbench.NO_ARRAYS)
    assert smaller > empty + 100 * 150 * 4
    desk.frame(Request(REST, 150))
    assert held_bytes(desk, workbench.NO_ARRAYS) == smaller
    desk.source()
    table = 256 * 4
    assert held_bytes(desk, workbench.NO_ARRAYS) == smaller + 200 * 300 * 3 + table
    plane = np.zeros((4, 4), np.float32)
    assert held_bytes([plane, plane[1:], {"a": plane.T}]) == 64


def test_who_asks_while_a_desk_is_set_up_gets_the_same_one(bench, found, monkeypatch):
    begun, go_on, made = threading.Event(), threading.Event(), []

    class Slow(Desk):
        def __init__(self, *given):
            made.append(self)
            begun.set()
            assert go_on.wait(20)
            super().__init__(*given)

    monkeypatch.setattr(workbench, "Desk", Slow)
    roomy = bench(1 << 30)
    roomy.begin(found[0], REST)
    assert begun.wait(20)
    roomy.begin(found[0], REST)
    with ThreadPoolExecutor(2) as threads:
        asked = [threads.submit(roomy.desk, found[0]) for _ in range(2)]
        go_on.set()
        assert {id(one.result(20)) for one in asked} == {id(made[0])}
    assert len(made) == 1


def test_of_several_that_wait_only_the_newest_is_begun(bench, found, monkeypatch):
    begun, go_on, made = threading.Event(), threading.Event(), []

    class Slow(Desk):
        def __init__(self, original, *given):
            made.append(original.name)
            begun.set()
            assert go_on.wait(20)
            super().__init__(original, *given)

    monkeypatch.setattr(workbench, "Desk", Slow)
    roomy = bench(1 << 30)
    for photograph in found:
        roomy.begin(photograph, REST)
        assert begun.wait(20)  # the first one is at work, the others wait
    go_on.set()
    roomy._ahead.shutdown()
    assert made == ["0.png", "3.png"]


def test_a_desk_that_cannot_be_set_up_tells_each_who_asks(bench, found, monkeypatch):
    def broken(*given):
        raise Lost("The original is lost.")

    roomy = bench(1 << 30)
    with monkeypatch.context() as here:
        here.setattr(workbench, "Desk", broken)
        roomy.begin(found[0], REST)
        for _ in range(2):
            with pytest.raises(Lost):
                roomy.desk(found[0])
    assert isinstance(roomy.desk(found[0]), Desk)


def test_sizes_and_memory_are_settings():
    given = {"OATMEAL_DESK_BYTES": "1000", "OATMEAL_DESK_SIZES": "3"}
    settings = Settings.from_environment(given)
    assert (settings.desk_bytes, settings.desk_sizes) == (1000, 3)
    with pytest.raises(SettingError, match="OATMEAL_DESK_SIZES must be 2 at the least"):
        Settings.from_environment({"OATMEAL_DESK_SIZES": "1"})
