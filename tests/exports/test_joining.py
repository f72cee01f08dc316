"""Joins as files, and in the background."""

import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import cv2
import imagecodecs
import numpy as np
import pytest
import pyvips
import tifffile
import wide
from batching import within
from PIL import Image
from samples import write_dng
from sqlalchemy.exc import OperationalError

from oatmeal import cli
from oatmeal.core.colour import decode_srgb
from oatmeal.core.join import Choices
from oatmeal.exports import joiner as joining
from oatmeal.exports.join import join_files
from oatmeal.exports.joiner import Joiner
from oatmeal.exports.task import Cancelled
from oatmeal.library import joins, versions
from oatmeal.photofile import profiles, tiff
from oatmeal.photofile.decode import decode
from oatmeal.photofile.errors import PhotoFileError


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    """Two frames that overlap, as JPEGs that say when they were taken."""
    folder = tmp_path_factory.mktemp("frames")
    for n, codes in enumerate(wide.small()[:2]):
        picture = Image.fromarray(codes)
        exif = picture.getexif()
        exif[306] = f"2026:06:20 06:4{n}:00"
        picture.save(folder / f"{n + 1:02d}.jpg", quality=95, exif=exif)
    return sorted(folder.iterdir())


def test_a_joined_file_holds_16_bits_a_profile_and_what_the_first_frame_says(files, tmp_path):
    shares = []
    made = join_files(files, tmp_path / "out.tif", Choices(), progress=shares.append)
    assert shares == sorted(shares)
    assert shares[-1] == 1
    read = tifffile.imread(tmp_path / "out.tif")  # outside: tifffile, libvips
    assert read.dtype == np.uint16
    assert read.shape == (made.height, made.width, 3)
    assert np.array_equal(read, np.concatenate(list(made.laid.strips())))
    other = pyvips.Image.new_from_file(str(tmp_path / "out.tif"))
    assert np.array_equal(other.numpy(), read)
    assert made.bytes == (tmp_path / "out.tif").stat().st_size < read.nbytes
    with Image.open(tmp_path / "out.tif") as plain:
        assert plain.getexif()[306] == "2026:06:20 06:40:00"
    assert decode(tmp_path / "out.tif").tables.ndim == 1  # sRGB
    assert "darker than the frames" in made.notes[-1]


@pytest.mark.parametrize("rows", [1, 127, 128, 300])
def test_parts_of_any_height_make_one_file(tmp_path, rows):
    codes = np.random.default_rng(2).integers(0, 65535, (391, 70, 3), np.uint16)
    parts = (codes[top : top + rows] for top in range(0, 391, rows))
    with (tmp_path / "a.tif").open("wb") as file:
        tiff.write_compressed(file, (70, 391), parts, profiles.srgb_profile(), b"")
    assert np.array_equal(tifffile.imread(tmp_path / "a.tif"), codes)
    assert tiff.first_tags(tmp_path / "a.tif")[257] == 391


def test_colours_that_srgb_cannot_hold_survive(tmp_path):
    """Frames in a wide space: the joined file has the colours that its frames have."""
    profile = profiles.wide_profile()
    to_wide = np.array(
        [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.088, 0.8956]]
    )
    paths = []
    for n, codes in enumerate(wide.small()[:2]):
        light = decode_srgb(codes / 255) @ to_wide.T
        light[..., 1] = np.minimum(1, light[..., 1] * 1.35)  # greens beyond sRGB
        pixels = np.rint(wide.scene.encoded(light) * 65535).astype(np.uint16)
        paths.append(tmp_path / f"{n}.tif")
        tifffile.imwrite(paths[-1], pixels, photometric="rgb", iccprofile=profile)
    made = join_files(paths, tmp_path / "out.tif", Choices(even_light=False))
    read = decode(tmp_path / "out.tif")
    assert read.tables.ndim == 3
    first = decode(paths[0])
    assert first.linear(0, 0, first.width, first.height).min() < -0.02
    own, whole = (cv2.resize(one.linear(0, 0, one.width, one.height), None, fx=0.1, fy=0.1,
                             interpolation=cv2.INTER_AREA) for one in (first, read))  # fmt: skip
    assert whole.min() == pytest.approx(own.min(), abs=0.015)
    assert made.raised == 0


def test_profile_of_the_wide_space_is_what_it_says():
    """Its white is white and its curve that of sRGB, by LittleCMS."""
    ramp = np.repeat(np.linspace(0, 1, 9)[:, None], 3, axis=1)[None]
    linear = imagecodecs.cms_transform(
        np.rint(ramp * 65535).astype(np.uint16), profiles.wide_profile(),
        profiles.linear_profile(), colorspace="rgb", outcolorspace="rgb", outdtype="float32",
        intent=1,
    )  # fmt: skip
    assert np.abs(linear - decode_srgb(ramp)).max() < 2e-4


def test_what_cannot_be_joined_leaves_nothing_behind(files, tmp_path):
    flat = tmp_path / "flat.png"
    Image.new("RGB", (300, 200), (90, 90, 90)).save(flat)
    with pytest.raises(PhotoFileError, match="Too little detail"):
        join_files([files[0], flat], tmp_path / "out.tif", Choices())
    with pytest.raises(PhotoFileError, match=r"nowhere\.jpg is not there"):
        join_files([files[0], tmp_path / "nowhere.jpg"], tmp_path / "out.tif", Choices())

    def stop(share):
        if share > 0.6:
            raise Cancelled

    with pytest.raises(Cancelled):
        join_files(files, tmp_path / "out.tif", Choices(), progress=stop)
    assert [one.name for one in tmp_path.iterdir()] == ["flat.png"]


def test_the_command_joins_and_reports(files, tmp_path, capsys):
    out = tmp_path / "wide.tif"
    names = [str(path) for path in files]
    assert cli.main(["join", *names, "--out", str(out), "--border", "keep", "--json"]) == 0
    said = capsys.readouterr()
    report = json.loads(said.out)
    assert report["output"] == str(out)
    assert report["join"]["border"] == "keep"
    assert len(report["join"]["frames"]) == 2
    assert list(report["stops"]) == names
    assert report["darker_by_stops"] > 0.2
    assert "stops darker" in said.err
    assert cli.main(["join", names[0], "--out", str(out)]) == 2
    assert cli.main(["join", *names, "--out", "wide.jpg"]) == 2
    assert cli.main(["join", *names, "--out", str(out), "--roll", "400"]) == 2
    assert cli.main(["join", names[0], "nowhere.jpg", "--out", str(out)]) == 1
    assert "nowhere.jpg is not there" in capsys.readouterr().err


@pytest.fixture
def sheet(web, files):
    """A series of two frames that overlap and one that does not."""
    series = web.series("Larkmoor")
    for path in files:
        web.upload(series, path.name, path.read_bytes())
    flat = cv2.imencode(".png", np.full((60, 90, 3), 90, np.uint8))[1].tobytes()
    web.upload(series, "flat.png", flat)
    return web


@pytest.fixture
def joiner(app, database, store, monkeypatch):
    """Makes joins on a thread of this process; started by the test."""
    monkeypatch.setattr(joining, "_LOOK_S", 0.05)
    importer = app.extensions["oatmeal"].importer
    made = Joiner(database, store, importer, lambda: ThreadPoolExecutor(1))
    yield made
    made.stop()


def test_a_join_waits_for_a_database_that_is_away(joiner, monkeypatch, caplog):
    def away(session):
        raise OperationalError("UPDATE", {}, Exception("2013: lost"))

    monkeypatch.setattr(joins, "resume", away)
    joiner.start()
    within(lambda: "a join could not be done yet; the database: 2013: lost" in caplog.text)
    assert "Traceback" not in caplog.text


def wait_for(web, done, seconds=60):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        jobs = web.client.get("/api/series/1/joins").json["joins"]
        if done(jobs):
            return jobs
        time.sleep(0.05)
    raise AssertionError(jobs)


def ask(web, frames=(1, 2), **choices):
    return web.send("POST", "/api/joins", {"photographs": list(frames), "choices": choices})


def test_a_join_becomes_a_photograph_beside_its_frames_linked_both_ways(
    sheet, joiner, database, store
):
    joiner.start()
    assert ask(sheet, border="keep").status_code == 200
    joiner.wake()
    wait_for(sheet, lambda jobs: not jobs)
    page = sheet.client.get("/series/1").get_data(as_text=True)
    assert "joined from 2" in page
    order = [int(part.split('"')[0]) for part in page.split('data-frame="')[1:]]
    assert order == [1, 2, 4, 3]  # after the last of its frames
    bench = sheet.client.get("/bench/4").get_data(as_text=True)
    assert "joined from" in bench
    assert 'href="/bench/1"' in bench
    assert 'href="/series/1?again=4"' in bench
    assert "> part of <a" in sheet.client.get("/bench/1").get_data(as_text=True)
    assert "> part of <a" not in sheet.client.get("/bench/3").get_data(as_text=True)
    with database.session() as session:
        version = versions.get(session, 4)
        assert versions.recipe_of(version).prepare.light.exposure > 0.2  # as light as its frames
        assert version.head.words == "joined from 2 frames"
        assert version.photograph.bits == 16
    assert list(store.incoming.iterdir()) == []
    # the same again is the same photograph
    ask(sheet, border="keep")
    joiner.wake()
    wait_for(sheet, lambda jobs: not jobs)
    assert "5 frames" not in sheet.client.get("/series/1").get_data(as_text=True)


def test_a_join_that_fails_says_why_and_can_be_forgotten(sheet, joiner):
    joiner.start()
    assert ask(sheet, frames=(1, 3)).status_code == 200
    joiner.wake()
    (job,) = wait_for(sheet, lambda jobs: jobs and jobs[0]["state"] == "failed")
    words = "Too little detail to find where these frames meet: 01.jpg and flat.png."
    assert job["error"] == words
    assert sheet.send("DELETE", f"/api/joins/{job['id']}").status_code == 200
    assert sheet.client.get("/api/series/1/joins").json == {"joins": []}
    assert sheet.send("DELETE", f"/api/joins/{job['id']}").status_code == 404


def slowly(monkeypatch):
    """Joins stay at 30 % until they are called off; gives what tells that one began."""
    begun, work = threading.Event(), joining.join_files

    def slow(*given, progress, **more):
        begun.set()
        while True:
            progress(0.3)
            time.sleep(0.02)

    monkeypatch.setattr(joining, "join_files", slow)
    return begun, work


def test_a_join_is_cancelled_while_it_waits_and_while_it_runs(sheet, joiner, monkeypatch):
    number = ask(sheet).json["id"]
    assert joiner.share(number) == 0  # nobody has written how far it is
    joiner._progress(number).touch()
    assert joiner.share(number) == 0
    sheet.send("POST", f"/api/joins/{number}/cancel")
    assert not joiner._progress(number).with_suffix(".cancel").exists()
    assert sheet.client.get("/api/series/1/joins").json["joins"][0]["state"] == "cancelled"
    begun, work = slowly(monkeypatch)
    sheet.send("POST", f"/api/joins/{number}/retry")
    joiner.start()
    assert begun.wait(20)
    wait_for(sheet, lambda jobs: jobs[0]["share"] == 0.3)
    assert sheet.send("DELETE", f"/api/joins/{number}").status_code == 422
    joiner.call_off(number)
    wait_for(sheet, lambda jobs: jobs[0]["state"] == "cancelled")
    monkeypatch.setattr(joining, "join_files", work)


def test_a_join_goes_on_after_a_restart(sheet, app, database, store, monkeypatch):
    monkeypatch.setattr(joining, "_LOOK_S", 0.05)
    importer = app.extensions["oatmeal"].importer
    first = Joiner(database, store, importer, lambda: ThreadPoolExecutor(1))
    begun, work = slowly(monkeypatch)
    first.start()
    ask(sheet)
    first.wake()
    assert begun.wait(20)
    first.stop()
    assert sheet.client.get("/api/series/1/joins").json["joins"][0]["state"] == "running"
    monkeypatch.setattr(joining, "join_files", work)
    second = Joiner(database, store, importer, lambda: ThreadPoolExecutor(1))
    second.start()
    wait_for(sheet, lambda jobs: not jobs)
    second.stop()
    assert "joined from 2" in sheet.client.get("/series/1").get_data(as_text=True)


def test_a_join_is_looked_at_before_it_is_made(sheet):
    wanted = {"photographs": [1, 2], "choices": {"projection": "cylinder"}}
    steps = set()
    for _ in range(400):
        answer = sheet.send("POST", "/api/joins/look", wanted).json
        if "step" not in answer:
            break
        steps.add(answer["step"])
    laid = answer["laid"]
    assert steps <= {
        "waiting",
        "reading",
        "finding",
        "matching",
        "fitting",
        "laying",
        "light",
        "seams",
    }
    assert [one["name"] for one in laid["frames"]] == ["01", "02"]
    assert laid["frames"][1]["stops"] - laid["frames"][0]["stops"] == pytest.approx(0.27, abs=0.02)
    assert laid["projection"] == "cylinder"
    for address, size in ((f"{answer['token']}.jpg", 3), (f"{answer['token']}-seams.png", 4)):
        data = sheet.client.get(f"/api/joins/{address}").data
        shown = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        assert shown.shape[2] == size
        assert shown.shape[1] / shown.shape[0] == pytest.approx(
            laid["width"] / laid["height"], rel=0.01
        )
    level = sheet.send(
        "POST", "/api/joins/level", {"token": answer["token"], "line": [0.2, 0.5, 0.8, 0.6]}
    )
    assert level.json["roll"] < -1
    assert sheet.client.get(f"/api/joins/{'0' * 32}.jpg").status_code == 404
    bad = sheet.send("POST", "/api/joins/look", {"photographs": [1]})
    assert bad.status_code == 422
    assert "Select 2 to 12" in bad.json["detail"]
    wrong = {"photographs": [1, 3], "choices": {}}
    answer = sheet.send("POST", "/api/joins/look", wrong).json
    for _ in range(100):
        if "problem" in answer:
            break
        answer = sheet.send("POST", "/api/joins/look", wrong).json
    words = "Too little detail to find where these frames meet: Frame 01 and Frame 03."
    assert answer["problem"] == words


def test_raw_frames_are_joined_in_linear_light(tmp_path):
    """What LibRaw reads of cameras' files; a mosaic of the same view."""
    paths = []
    for n, codes in enumerate(wide.taken()[1][:2]):
        paths.append(write_dng(tmp_path / f"{n}.dng", decode_srgb(codes / 255)))
    made = join_files(paths, tmp_path / "out.tif", Choices(border="keep"))
    shots = wide.taken()[0]
    assert wide.off_places(made.laid.found, shots[:2]) < 0.5
    assert decode(tmp_path / "out.tif").bits == 16


def test_what_was_left_out_is_remembered_and_a_lost_series_is_named(sheet, joiner, database):
    stranger = np.random.default_rng(1).integers(0, 255, (300, 450, 3), np.uint8)
    sheet.upload(1, "stranger.png", cv2.imencode(".png", stranger)[1].tobytes())
    ask(sheet, frames=(1, 2, 4))
    joiner.start()
    wait_for(sheet, lambda jobs: not jobs)
    with database.session() as session:
        note = versions.get(session, 5).photograph.note
    assert "stranger.png shares too little with the others; it is left out." in note
    number = ask(sheet).json["id"]
    sheet.send("DELETE", "/api/series/1")
    joiner.wake()
    wait_for(sheet, lambda jobs: jobs and jobs[0]["state"] == "failed")
    with database.session() as session:
        assert "series" in joins.get(session, number).error
