"""Loops shared out over threads, and what compiled ones depend on."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from samples import codes, linear_of

from oatmeal.core import kept, loops
from oatmeal.core.colour import kernels as colour
from oatmeal.core.kernels import ROOMS
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import from_document
from oatmeal.core.trust import Trust

KEPT = json.loads((Path(__file__).parent / "kept" / "recipes.json").read_text())
DEMO = json.loads((Path(__file__).parents[2] / "demo" / "series.json").read_text())
RECIPES = {
    **KEPT,
    **{one["file"]: one["recipe"] for one in DEMO["photographs"] if "recipe" in one},
}
COARSE = Trust(coarse=0.8, narrow=1.0)
RGB = linear_of(codes(149, 211, 16))


@pytest.fixture
def threads():
    """How many threads loops use; as many as before afterwards."""
    before = loops._threads, loops._SHARED
    loops._SHARED = 0
    yield loops.use_threads
    loops._threads, loops._SHARED = before


@pytest.mark.parametrize("name", RECIPES)
def test_a_picture_is_the_same_however_many_threads_make_it(threads, name):
    """Every row is worked on once, by whomever, and nothing of one row is left in the next."""
    made = []
    for count in (1, 2, 5):
        threads(count)
        made.append(
            Pipeline(ArrayPicture(RGB, trust_of_file=lambda: COARSE)).get(
                "encoded", from_document(RECIPES[name])
            )
        )
    assert np.array_equal(made[0], made[1])
    assert np.array_equal(made[0], made[2])


def test_every_row_is_in_one_chunk():
    for rows in (0, 1, 2, 3, 7, 100):
        for chunks in (1, 2, 3, 8):
            taken = [row for n in range(chunks) for row in loops.rows_of.py_func((n, chunks), rows)]
            assert taken == list(range(rows))


def test_what_a_thread_cannot_do_is_told_who_asked(threads):
    def failing(chunk, values):
        if chunk[0] == 3:
            raise ValueError("not this one")

    loop = loops.Loop(failing_compiled(failing), shared=True)
    threads(2)
    for _ in range(20):
        with pytest.raises(ValueError, match="not this one"):
            loop(np.zeros(4))


def failing_compiled(function):
    """A function that stands in the place of a compiled one."""
    function.py_func = function
    return function


def test_a_process_that_was_forked_has_threads_of_its_own(threads):
    threads(3)
    rgb = np.random.default_rng(5).random((300, 300, 3), dtype=np.float32)
    wanted = colour.luminance(rgb)
    child = os.fork()
    if not child:
        os._exit(0 if np.array_equal(colour.luminance(rgb), wanted) else 1)
    assert os.waitpid(child, 0)[1] == 0


def test_a_loop_depends_on_all_that_it_is_made_of(tmp_path, monkeypatch):
    """The constants and functions of other modules are compiled into it."""
    core = tmp_path / "core"
    shutil.copytree(Path(loops.__file__).parent, core, ignore=shutil.ignore_patterns("__pycache__"))
    monkeypatch.setattr(kept.config, "CACHE_DIR", "")
    monkeypatch.setattr(kept, "_CORE", core)

    def sums():
        for one in (kept.source_of, kept._read, kept._imported):
            one.cache_clear()
        return {room.name: kept.source_of(kept._file(room.module)) for room in ROOMS}

    before = sums()
    for changed, renewed, same in (
        ("tone/kernels.py", {"tone.kernels", "tone.area_kernels"}, {"mix.kernels"}),
        ("colour/lanes.py", {"mix.kernels", "mix.one_pass", "tone.area_kernels"}, set()),
        ("bands/kernels.py", {"tone.area_kernels"}, {"mix.kernels"}),
    ):
        path = core / changed
        path.write_text(path.read_text() + "\n# another\n")
        after = sums()
        different = {name for name in before if before[name] != after[name]}
        assert renewed <= different
        assert not same & different
        before = after
    for one in (kept.source_of, kept._read, kept._imported):
        one.cache_clear()


RUN = """
import tempfile
made = tempfile.TemporaryFile

def refusing(*given, dir=None, **more):
    if dir and "oatmeal/core" in str(dir):
        raise PermissionError(13, "Permission denied", str(dir))
    return made(*given, dir=dir, **more)

tempfile.TemporaryFile = refusing
import numpy as np
from oatmeal.core.colour import kernels
print(kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0, 0])
print(kernels._luminance.compiled.stats.cache_hits.total())
"""


def test_where_the_program_cannot_be_written_loops_are_kept_with_the_data(tmp_path):
    """A service's user may have no home, and no right to the installation."""
    environment = {
        "PATH": os.environ["PATH"], "PYTHONPATH": str(Path(loops.__file__).parents[2]),
        "OATMEAL_HOME": str(tmp_path), "HOME": "/nonexistent",
    }  # fmt: skip
    colour.warm()  # who installed it compiled it
    for _ in range(2):
        done = subprocess.run(
            [sys.executable, "-c", RUN], capture_output=True, text=True, env=environment
        )
        assert done.stdout.split() == ["0.25", "1"], done.stderr
    assert list((tmp_path / "loops").rglob("*luminance*.nbc"))


def test_loops_of_a_newer_version_beside_the_program_take_the_place_of_copies(
    tmp_path, monkeypatch
):
    core, home = tmp_path / "core", tmp_path / "home"
    beside, copies = core / "tone" / "__pycache__", home / "tone"
    for place in (beside, copies):
        place.mkdir(parents=True)
    monkeypatch.setattr(kept, "_CORE", core)
    monkeypatch.setattr(kept, "folder", lambda: home)
    monkeypatch.setattr(kept, "_can_be_written", lambda place: False)
    for name, made, copied in (("a.nbi", 2000, 1000), ("b.nbi", 1000, 2000)):
        for place, at in ((beside, made), (copies, copied)):
            (place / name).write_text(place.parent.name)
            os.utime(place / name, (at, at))
    assert kept.kept_in.__wrapped__(core / "tone" / "kernels.py") == copies
    assert (copies / "a.nbi").read_text() == "tone"
    assert (copies / "b.nbi").read_text() == "home"  # compiled by the service itself


def test_a_room_is_ready_until_its_source_is_another(tmp_path, monkeypatch):
    monkeypatch.setattr(kept, "kept_in", lambda path: tmp_path)
    room = "oatmeal.core.tone.kernels"
    assert not kept.is_ready(room)
    kept.mark_ready(room)
    assert kept.is_ready(room)
    monkeypatch.setattr(kept, "source_of", lambda path: "another")
    assert not kept.is_ready(room)
