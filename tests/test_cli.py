"""The command line: what it writes, what it says, how it ends."""

import io
import json
import os
import socket
import subprocess
import sys
from concurrent.futures import BrokenExecutor, Future

import numpy as np
import pytest
from PIL import Image
from samples import DEMO, codes, colours, read_png, write_png

from oatmeal import cli
from oatmeal.cli import converting
from oatmeal.core import recipe as recipes
from oatmeal.core.colour import encode_srgb, ranges
from oatmeal.exports import task

SIX = {"oatmeal": 1, "mix": {"base": {"kind": "six"}}}


@pytest.fixture
def recipe(tmp_path):
    def write(document, name="recipe.json"):
        path = tmp_path / name
        path.write_text(json.dumps(document))
        return str(path)

    return write


def test_six_colours_equal_luma_through_16_bit_files(tmp_path, recipe):
    """0.30 R' + 0.59 G' + 0.11 B' (common practice; BT.601 rounded), within half an 8-bit code."""
    pixels = np.floor(encode_srgb(colours(4000)) * 65535 + 0.5).astype(np.uint16)
    source = write_png(tmp_path / "in.png", pixels.reshape(40, 100, 3))
    out = tmp_path / "out.png"
    assert (
        cli.main(
            ["convert", str(source), "--recipe", recipe(SIX), "--out", str(out), "--depth", "16"]
        )
        == 0
    )
    expected = pixels.reshape(40, 100, 3) / 65535 @ np.array([0.30, 0.59, 0.11])
    assert np.abs(read_png(out) / 65535 - expected).max() <= 0.5 / 255
    assert np.abs(read_png(out) / 65535 - expected).max() <= 1 / 65535  # and far closer


def test_a_folder_of_files_goes_on_past_a_bad_one(tmp_path, capsys):
    good = write_png(tmp_path / "good.png", codes())
    bad = tmp_path / "bad.png"
    bad.write_bytes(good.read_bytes()[:500])
    out = tmp_path / "finished"
    status = cli.main(
        ["convert", str(bad), str(good), str(tmp_path / "gone.tif"), "--out", f"{out}/", "--json"]
    )
    told = capsys.readouterr()
    assert status == 1
    assert [path.name for path in out.iterdir()] == ["good.jpg"]
    assert len(told.err.strip().splitlines()) == 2
    assert "Traceback" not in told.err
    reports = [json.loads(line) for line in told.out.splitlines()]
    assert ["error" in report for report in reports] == [True, False, True]


def test_equal_names_do_not_overwrite_each_other(tmp_path):
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    one = write_png(tmp_path / "a" / "x.png", codes(seed=1))
    two = write_png(tmp_path / "b" / "x.png", codes(seed=2))
    assert cli.main(["convert", str(one), str(two), "--out", str(tmp_path / "o") + "/"]) == 0
    assert sorted(path.name for path in (tmp_path / "o").iterdir()) == ["x-2.jpg", "x.jpg"]


def test_the_original_is_never_overwritten(tmp_path, capsys):
    source = write_png(tmp_path / "only.png", codes())
    before = source.read_bytes()
    assert cli.main(["convert", str(source), "--out", str(source)]) == 1
    assert source.read_bytes() == before
    assert "would be overwritten" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--out", "x.sepia"], "suffix"),
        (["--out", "x.jpg", "--depth", "16"], "JPEG"),
        (["--out", "x.jpg", "--size", "3"], "size"),
        (["--out", "x.jpg", "--size", "0"], "size"),
        (["--out", "x.jpg", "--recipe", "missing.json"], "missing.json"),
        (["--out", "x.png", "--format", "gif"], "gif"),
    ],
)
def test_bad_use_ends_with_2(tmp_path, capsys, arguments, words):
    source = write_png(tmp_path / "in.png", codes())
    assert cli.main(["convert", str(source), *arguments]) == 2
    assert words in capsys.readouterr().err


def test_a_bad_recipe_ends_with_2_and_says_where(tmp_path, recipe, capsys):
    bad = recipe({"mix": {"lifts": {"red": 99}}, "tone": {"clarity": 400}})
    assert cli.main(["recipe", "check", bad]) == 2
    assert "mix.lifts.red: 99 is not allowed; give a number from -4 to 4" in capsys.readouterr().err
    listed = recipe({"areas": [{}]})
    assert cli.main(["recipe", "check", listed]) == 2
    assert "areas" in capsys.readouterr().err
    assert cli.main(["recipe", "check", recipe(SIX)]) == 0


def test_the_schema_is_printed(capsys):
    assert cli.main(["recipe", "schema"]) == 0
    assert json.loads(capsys.readouterr().out)["title"] == "Oatmeal recipe"


def test_measuring_a_demo_picture(capsys):
    """The wagon's red and green merge in a plain conversion, as its makers intended."""
    assert cli.main(["measure", str(DEMO / "painted-wagon.jpg")]) == 0
    figures = json.loads(capsys.readouterr().out)
    assert sum(figures["histogram"]) == figures["width"] * figures["height"]
    assert sum(figures["zones"]) == pytest.approx(1)
    assert figures["merging"][0]["apart"] < 4
    assert {entry["name"] for entry in figures["ranges"]} >= {"red", "green"}


def test_pipes(tmp_path, monkeypatch):
    source = write_png(tmp_path / "in.png", codes())
    command = [sys.executable, "-m", "oatmeal.cli", "convert", "-", "--out", "-", "--format", "png"]
    done = subprocess.run(command, input=source.read_bytes(), capture_output=True, timeout=120)
    assert done.returncode == 0, done.stderr
    out = tmp_path / "out.png"
    cli.main(["convert", str(source), "--out", str(out)])
    assert done.stdout == out.read_bytes()


ENDING = """
import atexit, os, sys, tempfile, threading
from oatmeal.cli.ending import leave

class Heavy:
    def __del__(self):
        os.write(2, b"taken apart")

heavy = Heavy()
atexit.register(os.write, 2, b"registered ")
print("printed")
if sys.argv[1] == "thread":
    threading.Timer(0.05, os.write, (2, b"thread ")).start()
if sys.argv[1] == "closed":
    sys.stdout.close()
leave(3)
"""


@pytest.mark.parametrize(
    ("how", "said"),
    [
        ("plainly", b"registered "),
        ("thread", b"thread registered taken apart"),
        ("closed", b"registered taken apart"),
    ],
)
def test_a_command_ends_with_its_status_and_all_it_printed(how, said):
    """At once where nothing is left to do; what is registered or still runs is done first."""
    done = subprocess.run([sys.executable, "-c", ENDING, how], capture_output=True)
    assert (done.returncode, done.stdout, done.stderr) == (3, b"printed\n", said)


def test_standard_input_that_is_no_picture(monkeypatch, capsys):
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(b"nothing")))
    assert cli.main(["measure", "-"]) == 1
    assert "standard input is not a picture" in capsys.readouterr().err


def test_whole_folders_side_by_side_and_resumed(tmp_path, recipe, capsys):
    for place, seed in (("day-1/a", 1), ("day-1/b", 2), ("day-2/a", 3)):
        path = tmp_path / "in" / f"{place}.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        write_png(path, codes(seed=seed))
    (tmp_path / "in" / "notes.txt").write_text("no picture")
    out = tmp_path / "out"
    settings = str(recipe(SIX))
    arguments = ["convert", str(tmp_path / "in"), "--recipe", settings, "--out", str(out)]
    arguments += ["--format", "png", "--depth", "16", "--jobs", "2", "--json"]
    assert cli.main(arguments) == 0
    made = sorted(str(path.relative_to(out)) for path in out.rglob("*") if path.is_file())
    assert made == ["day-1/a.png", "day-1/b.png", "day-2/a.png"]
    reports = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert [report["width"] for report in reports] == [60, 60, 60]
    alone = tmp_path / "alone.png"
    one = ["convert", str(tmp_path / "in/day-1/b.png"), "--recipe", settings]
    assert cli.main([*one, "--out", str(alone), "--depth", "16"]) == 0
    assert alone.read_bytes() == (out / "day-1/b.png").read_bytes()
    before = {name: (out / name).stat().st_mtime_ns for name in made}
    (out / "day-2/a.png").unlink()
    capsys.readouterr()
    assert cli.main([*arguments, "--resume"]) == 0
    assert len(capsys.readouterr().out.splitlines()) == 1
    kept = [name for name in made if (out / name).stat().st_mtime_ns == before[name]]
    assert kept == ["day-1/a.png", "day-1/b.png"]


LOADED = """
from pathlib import Path
from oatmeal.core.mix import one_pass
from oatmeal.core.recipe import read
from oatmeal.core.tone import fine_kernel
from oatmeal.exports.convert import rehearse
from oatmeal.photofile.output import Output
recipe = read('{"mix": {"lifts": {"red": 0.2}}, "tone": {"detail": 20}}')
print(bool(one_pass._mixed.compiled.signatures), bool(fine_kernel._fine.compiled.signatures))
rehearse(recipe, Output())
print(bool(one_pass._mixed.compiled.signatures), bool(fine_kernel._fine.compiled.signatures))
"""


def test_a_rehearsal_loads_what_a_recipe_runs():
    done = subprocess.run([sys.executable, "-c", LOADED], capture_output=True, text=True)
    assert done.stdout.split() == ["False", "False", "True", "True"], done.stderr


def test_loops_are_loaded_beside_the_reading_of_a_large_file(tmp_path, monkeypatch):
    rehearsed = []
    monkeypatch.setattr(converting, "rehearse", lambda recipe, output: rehearsed.append(output))
    noise = np.random.default_rng(2).integers(0, 256, (700, 700, 3)).astype(np.uint8)
    for name, pixels in (("large", noise), ("small", noise[:90])):
        source = write_png(tmp_path / f"{name}.png", pixels)
        assert cli.main(["convert", str(source), "--out", str(tmp_path / f"{name}.jpg")]) == 0
    assert len(rehearsed) == 1


BEGUN = """
import sys
import oatmeal.cli.convert as command
print([name for name in ("numba", "cv2", "pydantic") if name in sys.modules])
from oatmeal import cli
print(cli.main(["convert", *sys.argv[1:]]), "cv2" in sys.modules)
"""


def test_what_converts_is_loaded_while_a_large_file_is_read_and_opencv_where_it_is_used(tmp_path):
    source, recipe = DEMO / "first-lift-16bit.tif", tmp_path / "recipe.json"
    recipe.write_text(json.dumps({"oatmeal": 1, "tone": {"clarity": 30}}))
    command = [sys.executable, "-c", BEGUN, source, "--recipe", recipe, "--out", tmp_path / "a.jpg"]
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.stdout.splitlines() == ["[]", "0 False"], done.stderr


def test_a_large_file_that_is_read_beforehand_says_what_is_wrong(tmp_path, capsys):
    noise = np.random.default_rng(3).integers(0, 256, (700, 700, 3)).astype(np.uint8)
    whole = write_png(tmp_path / "whole.png", noise)
    half = tmp_path / "half.png"
    half.write_bytes(whole.read_bytes()[:1_100_000])
    out = str(tmp_path / "out.jpg")
    assert cli.main(["convert", str(half), "--out", out]) == 1
    assert "half.png is damaged" in capsys.readouterr().err
    recipe = tmp_path / "recipe.json"
    recipe.write_text('{"mix": 3}')
    assert cli.main(["convert", str(whole), "--recipe", str(recipe), "--out", out]) == 2
    assert not (tmp_path / "out.jpg").exists()


def test_balance_prints_a_recipe(tmp_path, capsys):
    path = str(DEMO / "painted-wagon.jpg")
    assert cli.main(["balance", path, "--strength", "100"]) == 0
    found = recipes.read(capsys.readouterr().out)
    assert any(getattr(found.mix.lifts, name) for name in ranges.NAMES)
    assert cli.main(["balance", path, "--strength", "0"]) == 0
    assert recipes.read(capsys.readouterr().out) == recipes.REST
    assert cli.main(["balance", path, "--strength", "101"]) == 2
    assert cli.main(["balance", str(tmp_path / "none.jpg")]) == 1


def test_one_file_that_cannot_be_done_stops_no_other(tmp_path, capsys):
    """Whatever is wrong with it: no picture, a name of no encoding, one pixel."""
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    for name in ("a.png", "z.png"):
        write_png(folder / name, codes())
    (folder / "no.png").write_bytes(b"no picture")
    os.rename(write_png(folder / "x.png", codes()), os.fsencode(folder) + b"/b\xff\xfe.png")
    Image.new("L", (1, 1), 128).save(folder / "pixel.png")
    assert cli.main(["convert", str(folder), "--out", str(out), "--format", "png"]) == 1
    said = capsys.readouterr().err.splitlines()
    assert len(said) == 2
    assert any("no.png is not a picture" in line for line in said)
    assert any("not UTF-8: rename it" in line for line in said)
    assert sorted(path.name for path in out.iterdir()) == ["a.png", "pixel.png", "z.png"]


class Dying:
    """A pool in which one file kills its process, and with it everything under way."""

    begun = 0

    def __init__(self, killer):
        self.killer, self.dead = killer, False

    def __call__(self, jobs):
        type(self).begun += 1
        return Dying(self.killer)

    def shutdown(self, **given):
        return None

    def submit(self, run, wanted):
        future = Future()
        self.dead = self.dead or self.killer in wanted.name
        if self.dead:
            future.set_exception(BrokenExecutor("a process died"))
        else:
            future.set_result(run(wanted))
        return future


def test_a_process_that_dies_loses_its_own_file_alone(tmp_path, capsys, monkeypatch):
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    for number in range(9):
        write_png(folder / f"{number}.png", codes(seed=number))
    monkeypatch.setattr(task, "process_pool", Dying("3.png"))
    arguments = ["convert", str(folder), "--out", str(out), "--format", "png", "--jobs", "2"]
    assert cli.main(arguments) == 1
    assert capsys.readouterr().err.splitlines() == [
        f"oatmeal: {folder / '3.png'} could not be finished: its process ended."
    ]
    assert sorted(path.stem for path in out.iterdir()) == list("01245678")


def test_a_printing_map_is_one_page_with_contours_and_a_table(tmp_path, recipe, capsys):
    source = write_png(tmp_path / "in.png", np.full((400, 600, 3), 120, np.uint8))
    areas = [
        {"id": "a1", "name": "Sky", "mask": [{"kind": "fade"}], "values": {"exposure": -0.7}},
        {"id": "a2", "on": False, "mask": [{"kind": "ellipse"}], "values": {"contrast": 20}},
    ]
    pages = []
    for name, document in (("none.png", {}), ("map.png", {"areas": {"list": areas}})):
        target, with_areas = tmp_path / name, recipe(document)
        assert cli.main(["map", str(source), "--recipe", with_areas, "--out", str(target)]) == 0
        pages.append(np.asarray(Image.open(target).convert("L")).astype(int))
    pages.reverse()
    assert pages[0].shape == (1654, 2339)
    middle = np.abs(pages[0] - pages[1])[400:900, 200:1400]
    assert (middle > 60).any(axis=1).sum() >= 6  # three lines across, dark and light
    table = pages[0][150:600, 1640:]
    assert (table < 100).sum() > (pages[1][150:600, 1640:] < 100).sum()
    target = tmp_path / "map.pdf"
    assert cli.main(["map", str(source), "--recipe", with_areas, "--out", str(target)]) == 0
    content = target.read_bytes()
    assert content[:5] == b"%PDF-"
    assert content.count(b"/Type /Page\n") + content.count(b"/Type /Page>") <= 1
    for out, words in (("map.gif", "ends with .png or .pdf"), ("no/map.png", "cannot be written")):
        bad = ["map", str(source), "--recipe", with_areas, "--out", str(tmp_path / out)]
        assert cli.main(bad) in (1, 2)
        assert words in capsys.readouterr().err
    assert list(tmp_path.glob("*.gif")) == []


def test_a_recipe_is_read_off_a_print_and_a_look_off_anything(tmp_path, recipe, capsys):
    source = str(DEMO / "mugs-on-the-stall.jpg")
    made = str(tmp_path / "print.png")
    wanted = recipe({"oatmeal": 1, "mix": {"lifts": {"red": 0.9, "blue": -1.1}}})
    assert cli.main(["convert", source, "--recipe", wanted, "--out", made, "--size", "900"]) == 0
    assert cli.main(["read", source, made]) == 0
    said = capsys.readouterr()
    found = recipes.from_document(json.loads(said.out))
    assert found.mix.lifts.blue == pytest.approx(-1.1, abs=0.25)
    assert "made from plain" in said.err
    assert "explains" in said.err
    other = str(DEMO / "first-lift.jpg")
    assert cli.main(["read", other, made]) == 1
    assert "does not show the same subject" in capsys.readouterr().err
    assert cli.main(["look", other, made, "--strength", "50"]) == 0
    assert recipes.from_document(json.loads(capsys.readouterr().out)).tone != recipes.REST.tone
    assert cli.main(["look", other, made, "--strength", "500"]) == 2
    assert cli.main(["read", other, "nowhere.png"]) == 1


def test_what_a_command_does_not_need_is_not_imported():
    """``--help`` is there at once: nothing heavy stands before it."""
    heavy = ("numpy", "numba", "cv2", "pydantic", "scipy", "pyvips", "oatmeal.core")
    code = f"""
import sys
from oatmeal import cli
try:
    cli.main(["--help"])
except SystemExit:
    pass
print([name for name in {heavy!r} if name in sys.modules], file=sys.stderr)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip() == "[]"
    assert all(command.word in done.stdout for command in cli.COMMANDS)


@pytest.mark.parametrize("word", [command.word for command in cli.COMMANDS])
def test_every_command_tells_what_it_takes(word, capsys):
    with pytest.raises(SystemExit) as ended:
        cli.main([word, "--help"])
    assert ended.value.code == 0
    assert f"usage: oatmeal {word}" in capsys.readouterr().out


@pytest.mark.parametrize("kind", ["fifo", "socket", "link to a device"])
def test_what_is_no_regular_file_is_not_replaced_by_one(tmp_path, capsys, kind):
    """As root it replaced the null device of the machine."""
    target = tmp_path / "out.png"
    if kind == "fifo":
        os.mkfifo(target)
    elif kind == "socket":
        with socket.socket(socket.AF_UNIX) as made:
            made.bind(str(target))
    else:
        target.symlink_to(os.devnull)

    def stands():
        return (status := target.lstat()).st_ino, status.st_mode, status.st_mtime_ns

    before = stands()
    source = write_png(tmp_path / "a.png", codes(20, 30))
    assert cli.main(["convert", str(source), "--out", str(target)]) == 1
    assert "is no regular file and stays as it is" in capsys.readouterr().err
    assert stands() == before


def test_results_inside_the_input_are_not_converted_again(tmp_path):
    folder = tmp_path / "in"
    folder.mkdir()
    write_png(folder / "a.png", codes(20, 30))
    out = folder / "sub"
    for _ in range(2):
        assert cli.main(["convert", str(folder), "--out", str(out)]) == 0
        assert [str(path.relative_to(out)) for path in out.rglob("*.jpg")] == ["a.jpg"]


def test_standard_input_that_is_closed_is_a_sentence(tmp_path, monkeypatch, capsys):
    monkeypatch.setattr("sys.stdin", None)
    source = write_png(tmp_path / "a.png", codes(20, 30))
    out = str(tmp_path / "b.png")
    assert cli.main(["convert", str(source), "--recipe", "-", "--out", out]) == 2
    assert capsys.readouterr().err == "oatmeal: there is no standard input to read\n"


def test_transparent_parts_become_paper_white_where_the_format_has_none(tmp_path, capfd):
    """Their hidden colour was shown: of a cut-out the background that somebody took out."""
    pixels = np.zeros((40, 60, 4), np.uint8)
    pixels[..., 0] = 200
    pixels[:, 30:, 3] = 255
    pixels[:, 20:30, 3] = 128
    source = tmp_path / "cut-out.png"
    Image.fromarray(pixels).save(source)
    target = tmp_path / "cut-out.jpg"
    assert cli.main(["convert", str(source), "--out", str(target), "--quality", "100"]) == 0
    made = np.asarray(Image.open(target)).astype(int)
    grey = made[20, 50]
    assert made[20, 5] >= 253
    assert grey < 130
    assert abs(made[20, 25] - (grey * 128 + 255 * 127) / 255) < 4
    assert "Transparent parts became paper white" in capfd.readouterr().err
    kept = tmp_path / "kept.png"
    assert cli.main(["convert", str(source), "--out", str(kept)]) == 0
    assert np.array_equal(np.asarray(Image.open(kept))[..., -1], pixels[..., 3])
    assert capfd.readouterr().err == ""
