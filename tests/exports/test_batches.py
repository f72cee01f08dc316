"""Export batches: names, running, failing, retrying, cancelling, and not doing things twice."""

import io
import zipfile
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from batching import batch_of, start, states, wait, within
from PIL import ExifTags, Image
from samples import codes
from sqlalchemy.exc import OperationalError

from oatmeal.core.pipeline import Pipeline
from oatmeal.exports import batches, task
from oatmeal.exports.runner import Runner
from oatmeal.exports.workers import Away, OnExecutor
from oatmeal.library import photographs, versions
from oatmeal.photofile import metadata
from oatmeal.photofile.decode import Limits, decode
from oatmeal.photofile.encode import encode
from oatmeal.photofile.output import Output


def test_a_batch_writes_what_the_core_renders_and_zips_it(frames, runner, store):
    runner.start()
    start(frames, pattern="{file}_{version}")
    runner.wake()
    wait(frames)
    assert states(frames) == ["done"] * 3
    archive = frames.client.get("/exports/1.zip")
    packed = zipfile.ZipFile(io.BytesIO(archive.data))
    assert packed.namelist() == [f"dsc_{seed}_version-1.png" for seed in (1, 2, 3)]
    path = store.exports / "00001-larkmoor-meet" / "dsc_1_version-1.png"
    assert packed.read(path.name) == path.read_bytes()
    source = decode(store.original(*_first(frames)))
    with frames.client.application.extensions["oatmeal"].database.session() as session:
        recipe = versions.recipe_of(versions.get(session, 1))
    expected = Pipeline(source).codes(recipe, np.uint16)
    assert np.array_equal(decode(path).codes[..., 0], expected)
    one = frames.client.get(f"/exports/1/{batch_of(frames)['jobs'][1]['id']}")
    assert one.data == packed.read("dsc_2_version-1.png")


def _first(web):
    with web.client.application.extensions["oatmeal"].database.session() as session:
        photograph = photographs.get(session, 1)
        return photograph.sha256, photograph.suffix


def test_the_same_again_takes_what_is_there(frames, runner, store):
    runner.start()
    start(frames)
    runner.wake()
    wait(frames)
    first = {path.name: path.stat().st_ino for path in store.exports.glob("00001-*/*")}
    changed = {"revision": 1, "recipe": {"tone": {"contrast": 30}}}
    frames.send("PUT", "/api/versions/2/recipe", changed)
    start(frames)
    runner.wake()
    wait(frames, 2)
    second = {path.name: path.stat().st_ino for path in store.exports.glob("00002-*/*")}
    assert second.keys() == first.keys()
    same = [name for name in first if first[name] == second[name]]
    assert len(same) == 2  # only the changed one was made anew


def test_another_form_of_output_is_another_file(frames, runner, store):
    """Of the same photographs with the same recipes."""
    runner.start()
    for number, quality in enumerate((95, 30, 95), 1):
        start(frames, photographs=[1], format="jpeg", depth=8, quality=quality)
        runner.wake()
        wait(frames, number)
    fine, coarse, again = (
        next(store.exports.glob(f"0000{number}-*/*")).read_bytes() for number in (1, 2, 3)
    )
    assert len(coarse) < 0.7 * len(fine)
    assert again == fine


def test_a_failed_file_says_why_and_can_be_tried_again(frames, runner, store):
    original = store.original(*_first(frames))
    hidden = original.rename(original.with_name("away"))
    runner.start()
    start(frames)
    runner.wake()
    wait(frames)
    assert states(frames) == ["failed", "done", "done"]
    assert batch_of(frames)["jobs"][0]["error"].startswith("The original of DSC_1.png")
    hidden.rename(original)
    assert frames.send("POST", "/api/exports/1/retry").json["count"] == 1
    runner.wake()
    wait(frames)
    assert states(frames) == ["done"] * 3


def test_cancel_lets_finished_files_stay_and_delete_takes_them(frames, runner, store):
    start(frames)
    assert frames.send("DELETE", "/api/exports/1").status_code == 422  # it still waits
    frames.send("POST", "/api/exports/1/cancel")
    assert states(frames) == ["cancelled"] * 3
    assert frames.client.get("/exports/1.zip").status_code == 404
    assert frames.send("POST", "/api/exports/1/retry").json["count"] == 3
    runner.start()
    wait(frames)
    assert states(frames) == ["done"] * 3
    assert frames.send("DELETE", "/api/exports/1").status_code == 200
    assert frames.client.get("/api/exports").json["batches"] == []
    assert not list(store.exports.iterdir())


def test_a_running_job_is_called_off_between_its_strips(frames, database, store):
    start(frames)
    with database.session() as session:
        job = batches.claim(session, 1)[0]
        wanted = batches.task_of(job, store, Limits())
        batches.folder(store, job.batch).mkdir(parents=True)
        session.flush()
        batches.cancel(session, store, 1)
    with pytest.raises(task.Cancelled):
        task.run(wanted)
    assert not list(store.exports.glob("*/*"))
    assert not list(store.incoming.iterdir())


def test_nothing_begins_in_the_place_of_a_job_that_is_called_off(
    frames, database, store, monkeypatch
):
    start(frames)
    with database.session() as session:
        first, second = (job.id for job in batches.claim(session, 2))
    called = []

    def call_off(store, job_id):
        called.append(job_id)
        with database.session() as other:  # its place is free, and taken again at once
            batches.claim(other, 1)

    monkeypatch.setattr(batches, "call_off", call_off)
    frames.send("POST", "/api/exports/1/cancel")
    assert called == [first, second]
    assert states(frames) == ["running", "running", "cancelled"]


def test_a_job_that_ran_when_the_server_ended_is_done_once(frames, runner, database, store):
    start(frames)
    with database.session() as session:
        for job in batches.claim(session, 2):
            wanted = batches.task_of(job, store, Limits())
            batches.folder(store, job.batch).mkdir(parents=True, exist_ok=True)
    task.run(wanted)  # the second one was written, but the server ended before it said so
    written = store.exports / "00001-larkmoor-meet" / "larkmoor-meet-02-dsc-2-version-1.png"
    before = written.stat().st_mtime_ns
    assert states(frames) == ["running", "running", "waiting"]
    runner.start()
    wait(frames)
    assert states(frames) == ["done"] * 3
    assert written.stat().st_mtime_ns == before


def test_names(frames, database):
    def names(pattern, ids=(1, 2)):
        reply = frames.send(
            "POST", "/api/exports/names", {"photographs": list(ids), "pattern": pattern}
        )
        return reply.json.get("names") or reply.json["detail"]

    assert names("{series} {number}") == ["larkmoor-meet-01.jpg", "larkmoor-meet-02.jpg"]
    assert names("fine print") == ["fine-print.jpg", "fine-print-2.jpg"]
    assert "{lens} cannot be part" in names("{lens}")
    assert "is empty" in names("../")
    assert names("/etc/{file}", [1]) == ["etc-dsc_1.jpg"]


def test_forms_that_cannot_be_written_are_refused_at_once(frames):
    for form in ({"format": "jpeg", "depth": 16}, {"metadata": "some"}, {"photographs": []}):
        wanted = {"photographs": [1], "format": "png"} | form
        assert frames.send("POST", "/api/exports", wanted).status_code == 422
    assert frames.send("POST", "/api/exports/9/retry").status_code == 404


def test_metadata_kept_place_free_and_none(tmp_path):
    exif = Image.Exif()
    exif[ExifTags.Base.Artist] = "A. Lark"
    exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.FNumber] = 8.0
    exif.get_ifd(ExifTags.IFD.GPSInfo)[ExifTags.GPS.GPSLatitude] = (52.0, 10.0, 5.0)
    Image.fromarray(codes(20, 30)).save(tmp_path / "a.jpg", exif=exif)
    block = metadata.read(tmp_path / "a.jpg")
    for what, place, artist in (
        ("keep", True, True),
        ("place-free", False, True),
        ("none", False, False),
    ):
        for form in ("jpeg", "png", "tiff"):
            path = tmp_path / f"{what}.{form}"
            encode(np.zeros((20, 30), np.uint8), path, Output(form, metadata=what), block)
            found = metadata.load(metadata.read(path))
            assert bool(found.get_ifd(ExifTags.IFD.GPSInfo)) == place
            assert (found.get(ExifTags.Base.Artist) == "A. Lark") == artist
            if artist:
                assert found.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.FNumber] == 8


def test_the_original_or_the_colour_picture_beside_it(frames, runner, store):
    runner.start()
    for number, beside in enumerate(("original", "colour"), start=1):
        start(frames, photographs=[1], pattern="{title}", beside=beside)
        runner.wake()
        wait(frames, number)
        packed = zipfile.ZipFile(io.BytesIO(frames.client.get(f"/exports/{number}.zip").data))
        assert packed.namelist() == ["dsc-1.png", f"dsc-1-{beside}.png"]
    source = store.original(*_first(frames))
    folder = store.exports / "00001-larkmoor-meet"
    assert (folder / "dsc-1-original.png").read_bytes() == source.read_bytes()
    colour = decode(store.exports / "00002-larkmoor-meet" / "dsc-1-colour.png")
    assert colour.bits == 16
    shown = decode(source).codes.astype(int) * 257  # nothing is prepared: the very same colours
    assert np.abs(colour.codes.astype(int) - shown).max() <= 1


def test_a_part_of_the_finished_file_before_it_is_saved(frames):
    form = {"format": "png", "depth": 16, "size": 60, "sharpen": "screen", "resolution": 150}
    wish = form | {"x": 0.9, "y": 0.9, "width": 30, "height": 20}
    part = frames.send("POST", "/api/versions/1/finished/look", wish)
    shown = np.asarray(Image.open(io.BytesIO(part.data)))
    query = "&".join(f"{key}={value}" for key, value in form.items())
    file = frames.client.get(f"/versions/1/finished?{query}")
    whole = Image.open(io.BytesIO(file.data))
    assert whole.size == (60, 40)
    assert whole.info["dpi"] == pytest.approx((150, 150), abs=0.1)
    expected = np.asarray(whole)[20:, 30:] / 257
    assert shown.shape == (20, 30)
    assert np.abs(shown - expected).max() <= 1
    plain = frames.send("POST", "/api/versions/1/finished/look", wish | {"sharpen": "off"})
    assert plain.data != part.data


def test_workers_that_cannot_be_reached_are_said_and_hold_up_nothing(frames, database, store):
    tries = []

    def unreachable():
        tries.append(1)
        if len(tries) == 1:
            raise Away("The cluster at tcp://studio:8786 cannot be reached: nobody answers.")
        return OnExecutor(ThreadPoolExecutor(1), 1)

    made = Runner(database, store, unreachable)
    start(frames)
    made.start()
    within(lambda: batch_of(frames)["jobs"][0]["error"])
    said = {(job["state"], job["error"]) for job in batch_of(frames)["jobs"]}
    assert said == {
        (
            "waiting",
            "The cluster at tcp://studio:8786 cannot be reached: nobody answers. "
            "The export goes on then.",
        )
    }
    made.wake()
    wait(frames)
    assert states(frames) == ["done"] * 3
    assert {job["error"] for job in batch_of(frames)["jobs"]} == {""}
    made.stop()


def test_a_database_that_is_away_is_a_line_of_the_log(frames, runner, monkeypatch, caplog):
    problems = [OperationalError("SELECT", {}, Exception("2013: lost")), ValueError("of our own")]

    def away(session):
        raise problems[0]

    monkeypatch.setattr(batches, "are_waiting", away)
    start(frames)
    runner.start()
    within(lambda: "handed over yet; the database: 2013: lost" in caplog.text)
    assert "Traceback" not in caplog.text
    problems.pop(0)
    runner.wake()
    within(lambda: "of our own" in caplog.text)
    assert "Traceback" in caplog.text
    monkeypatch.undo()
    runner.wake()
    wait(frames)
    assert states(frames) == ["done"] * 3


def test_exports_have_the_limits_of_the_import(frames, database, store):
    tight = Limits(max_pixels=100)
    made = Runner(database, store, lambda: OnExecutor(ThreadPoolExecutor(1), 1), limits=tight)
    made.start()
    start(frames, photographs=[1])
    made.wake()
    wait(frames)
    assert "OATMEAL_MAX_PIXELS" in batch_of(frames)["jobs"][0]["error"]
    made.stop()


@pytest.mark.parametrize("beside", ["original", "colour"])
def test_no_file_of_a_batch_has_the_name_of_another_or_of_what_lies_beside_it(
    frames, runner, store, beside
):
    """Titles that differ by what is put behind a name, by case, or not at all."""
    for number, title in ((1, "Barn"), (2, f"Barn {beside}"), (3, "BARN")):
        frames.send("PATCH", f"/api/photographs/{number}", {"title": title})
    runner.start()
    start(frames, pattern="{title}", beside=beside)
    runner.wake()
    wait(frames)
    assert states(frames) == ["done"] * 3
    written = [path.name for path in (store.exports / "00001-larkmoor-meet").iterdir()]
    assert len(written) == len({name.casefold() for name in written}) == 6
    names = [job["name"] for job in batch_of(frames)["jobs"]]
    assert names == ["barn.png", f"barn-{beside}-2.png", "barn-3.png"] or len(set(names)) == 3


@pytest.mark.parametrize("letter", ["気", "ж", "é", "x"])
def test_long_names_of_any_script_can_be_written(frames, runner, letter):
    frames.send("PATCH", "/api/photographs/1", {"title": letter * 190})
    runner.start()
    start(frames, pattern="{title}", photographs=[1], beside="original")
    runner.wake()
    wait(frames)
    (job,) = batch_of(frames)["jobs"]
    assert (job["state"], job["error"]) == ("done", "")
    assert len(job["name"].encode()) < 200
    assert set(job["name"].removesuffix(".png")) == {letter}
