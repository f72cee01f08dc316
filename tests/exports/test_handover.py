"""Hand-over: files that are sent, exported back, and watched for."""

import fcntl
import os
import re
import threading
import time
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

import numpy as np
import pytest
import samples
from PIL import Image
from samples import codes
from sqlalchemy.exc import OperationalError

from oatmeal import cli
from oatmeal.host import client
from oatmeal.library import photographs
from oatmeal.run import serve, watching
from oatmeal.run.listening import server_for
from oatmeal.run.oneline import OneLine
from oatmeal.run.watching import Watched
from oatmeal.settings import SettingError, Settings
from oatmeal.web import access


def png(seed=1):
    return samples.png(codes(60, 90, seed=seed))


@pytest.fixture
def folder(tmp_path):
    made = tmp_path / "Larkmoor June"
    made.mkdir()
    (made / "DSC_1.png").write_bytes(png())
    return made


@pytest.fixture
def served(app, tmp_path, monkeypatch):
    """The application on a port, and its folder held as a running one holds it."""
    import fcntl
    import socket
    import threading

    listener = socket.create_server(("127.0.0.1", 0))
    settings = Settings(tmp_path / "home")
    threading.Thread(target=server_for(app, settings, listener).run, daemon=True).start()
    address = access.address_of(app, f"http://127.0.0.1:{listener.getsockname()[1]}/")
    monkeypatch.setenv("OATMEAL_HOME", str(tmp_path / "home"))
    with (tmp_path / "home" / "running").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        lock.write(address)
        lock.flush()
        yield address


def test_open_sends_files_and_prints_the_bench(served, folder, web, database, capsys):
    assert cli.main(["open", str(folder / "DSC_1.png"), str(folder / "gone.png")]) == 1
    said = capsys.readouterr()
    address = said.out.strip()
    assert "/bench/1?key=" in address
    assert "gone.png is not there" in said.err
    assert b"Larkmoor June" in web.client.get("/").data  # the series has the folder's name
    with database.session() as session:
        assert photographs.get(session, 1).came_from == str(folder / "DSC_1.png")
    guest = client.Application(served)
    assert guest.series("Larkmoor June") == 1
    assert cli.main(["open", str(folder / "DSC_1.png"), "--series", "Larkmoor June"]) == 0
    assert "not added again" in capsys.readouterr().err


def test_open_opens_a_browser_if_asked(served, folder, monkeypatch):
    opened = []
    monkeypatch.setattr("webbrowser.open", opened.append)
    assert cli.main(["open", str(folder / "DSC_1.png"), "--browse"]) == 0
    (shown,) = opened
    assert "key=" not in shown  # it stands in the list of processes
    page = Path(url2pathname(urlsplit(shown).path))
    assert page.stat().st_mode & 0o777 == 0o600
    assert re.search(r"url=http://oatmeal-\w+\.localhost:\d+/bench/1\?key=\w+", page.read_text())


class Process:
    """A start that goes on until it is given an end."""

    def __init__(self, ended=None):
        self.ended = ended

    def poll(self):
        return self.ended


def test_what_is_not_running_is_started(tmp_path, monkeypatch):
    home = tmp_path / "quiet"
    home.mkdir()
    (home / "running").write_text("http://127.0.0.1:1/")
    assert client.doing(home) is None  # nobody holds it: an old one ended
    begun = []

    def start(command, stdout, **more):
        begun.append(command)
        stdout.write("Oatmeal cannot start. The disk is full.\n")
        stdout.flush()
        return Process(ended=1)

    monkeypatch.setattr(client.subprocess, "Popen", start)
    for _ in range(7):
        with pytest.raises(client.HandingError, match="disk is full"):
            client.started(home)
    assert begun[0][1:] == ["-m", "oatmeal.run"]
    assert 1 <= len(list(home.glob("started-*.log"))) <= 5


@pytest.fixture
def another(tmp_path):
    """Somebody else's start in a folder: it says what it is told to."""
    home = tmp_path / "home"
    home.mkdir()
    with (home / "running").open("a+") as file:
        fcntl.flock(file, fcntl.LOCK_EX)

        def say(text):
            serve._write(file, text)

        yield home, say


def test_a_start_of_another_is_waited_for_as_long_as_it_says_something(another, monkeypatch):
    """Two that open at the same time begin one application; neither gives up, nor errs."""
    home, say = another
    say("Making the first page ready, 20%")
    monkeypatch.setattr(client.subprocess, "Popen", None)  # it must not be begun again
    heard = []

    def go_on():
        for text in (
            "Making the first page ready, 60%",
            "Adding bunting.jpg",
            "http://here/?key=1",
        ):
            time.sleep(0.5)
            say(text)

    other = threading.Thread(target=go_on)
    other.start()
    assert client.started(home, heard.append, wait_s=1.2) == "http://here/?key=1"
    other.join()
    page = "Making the first page ready"
    assert heard == [f"{page}, 20%", f"{page}, 60%", "Adding bunting.jpg"]


def test_a_start_that_says_nothing_any_more_is_given_up(another):
    home, say = another
    say("Preparing the tables")
    with pytest.raises(client.HandingError, match=r"said nothing for 0 s .* Preparing"):
        client.started(home, wait_s=0.4)


@pytest.mark.parametrize(
    ("setting", "said"),
    [
        ({"OATMEAL_PORT": "abc"}, "OATMEAL_PORT must be a whole number"),
        ({"OATMEAL_HOME": "/dev/null/here"}, "/dev/null/here"),
    ],
)
def test_open_with_settings_that_cannot_be_says_so(monkeypatch, capsys, setting, said):
    for name, value in setting.items():
        monkeypatch.setenv(name, value)
    assert cli.main(["open", "a.jpg"]) == 1
    told = capsys.readouterr().err.splitlines()
    assert said in told[-1]
    assert len(told) <= 2


def come_from(web, path, content):
    return web.client.post(
        "/api/series/1/photographs",
        data=content,
        headers={
            "X-CSRFToken": web.token, "X-File-Name": path.name, "X-Came-From": str(path),
        },
    )  # fmt: skip


def test_a_finished_file_goes_back_beside_its_original_and_over_nothing(web, folder):
    web.series()
    path = folder / "DSC_1.png"
    before = path.read_bytes()
    assert come_from(web, path, before).status_code == 200
    assert "Export back" in web.client.get("/bench/1").get_data(as_text=True)
    form = {"format": "tiff", "depth": 16}
    back = web.send("POST", "/api/versions/1/finished/back", form).json["path"]
    assert back == str(folder / "DSC_1-version-1.tif")
    again = web.send("POST", "/api/versions/1/finished/back", form).json["path"]
    assert again == str(folder / "DSC_1-version-1-2.tif")
    assert path.read_bytes() == before
    with Image.open(back) as made:
        assert made.size == (90, 60)
    assert sorted(one.name for one in folder.iterdir()) == [
        "DSC_1-version-1-2.tif", "DSC_1-version-1.tif", "DSC_1.png",
    ]  # fmt: skip
    path.write_bytes(png(2))  # another file under the old name
    refused = web.send("POST", "/api/versions/1/finished/back", form)
    assert refused.status_code == 422
    assert "is another file now" in refused.json["detail"]


def test_what_goes_back_is_written_through_no_link(web, folder, tmp_path):
    """A link under the name of a file being written, which could be foretold, was followed."""
    victim = tmp_path / "victim"
    victim.write_text("mine")
    web.series()
    come_from(web, folder / "DSC_1.png", (folder / "DSC_1.png").read_bytes())
    for stem in ("DSC_1", "DSC_1-version-1"):
        (folder / f".oatmeal-{os.getpid()}-{stem}.tif").symlink_to(victim)
    (folder / "DSC_1-version-1.tif").symlink_to(victim)
    back = web.send("POST", "/api/versions/1/finished/back", {"format": "tiff"}).json["path"]
    assert back == str(folder / "DSC_1-version-1-2.tif")
    assert victim.read_text() == "mine"


def test_only_what_was_handed_over_goes_back(web, folder, photograph):
    assert "Export back" not in web.client.get("/bench/1").get_data(as_text=True)
    refused = web.send("POST", "/api/versions/1/finished/back", {})
    assert refused.status_code == 422
    assert "was not handed over" in refused.json["detail"]
    for wrong in ("DSC_1.png", "/a/../b.png"):
        reply = web.client.post(
            "/api/series/1/photographs",
            data=png(3),
            headers={"X-CSRFToken": web.token, "X-File-Name": "a.png", "X-Came-From": wrong},
        )
        assert reply.status_code == 422


@pytest.fixture
def watched(app, folder, tmp_path, monkeypatch):
    """A watched folder above the one with a picture."""
    monkeypatch.setattr(watching, "QUIET_S", 0.3)
    monkeypatch.setattr(watching, "_LOOK_S", 0.05)
    top = tmp_path / "inbox"
    top.mkdir()
    folder.rename(top / "Larkmoor June")

    def make():
        return Watched(top, app.extensions["oatmeal"].importer, tmp_path / "watched.json")

    make.folder = top
    return make


def series_shown(web, number):
    reply = web.client.get(f"/series/{number}")
    return reply.get_data(as_text=True).count("data-frame=") if reply.status_code == 200 else 0


def until(done, seconds=20):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if done():
            return
        time.sleep(0.05)
    raise AssertionError("it did not happen")


def test_a_watched_folder_is_taken_in_as_files_arrive_whole(watched, web, database):
    one = watched()
    one.start()
    until(lambda: series_shown(web, 1) == 1)
    content = png(2)
    slow = watched.folder / "Larkmoor June" / "DSC_2.png"
    with slow.open("wb") as file:  # a copy that takes its time
        for at in range(0, len(content), len(content) // 6 + 1):
            file.write(content[at : at + len(content) // 6 + 1])
            file.flush()
            os.fsync(file.fileno())
            time.sleep(0.12)
            assert series_shown(web, 1) == 1
    until(lambda: series_shown(web, 1) == 2)
    moved = watched.folder / "Fog"
    moved.mkdir()
    hidden = watched.folder / ".part.png"
    hidden.write_bytes(png(4))
    hidden.rename(moved / "DSC_3.png")  # as careful programs write: under another name first
    (moved / "notes.txt").write_text("no picture")
    (moved / "broken.png").write_bytes(b"no picture either")
    until(lambda: series_shown(web, 2) == 1)
    assert b"Fog" in web.client.get("/").data
    one.stop()
    with database.session() as session:
        assert photographs.get(session, 1).came_from.endswith("Larkmoor June/DSC_1.png")
    # a finished file that goes back there is no new photograph
    back = web.send("POST", "/api/versions/1/finished/back", {"format": "png"}).json["path"]
    assert back.endswith("inbox/Larkmoor June/DSC_1-version-1.png")
    # what was removed from its series does not come back at the next start
    web.send("POST", "/api/photographs/remove", {"photographs": [1]})
    two = watched()
    two.start()
    (watched.folder / "Larkmoor June" / "DSC_4.png").write_bytes(png(5))
    until(lambda: b"DSC 4" in web.client.get("/series/1").data)
    two.stop()
    assert series_shown(web, 1) == 2
    assert len(np.unique([path.name for path in watched.folder.rglob("*.png")])) == 6


def test_odd_names_and_links_out_of_the_watched_folder(watched, web, tmp_path, caplog):
    """They are told in the log, once and on one line each, and hold up nothing."""
    outside = tmp_path / "private.png"
    outside.write_bytes(png(6))
    inside = watched.folder / "Larkmoor June"
    (inside / "link.png").symlink_to(outside)
    secret = tmp_path / "secret"
    secret.mkdir()
    (secret / "two.png").write_bytes(png(7))
    (inside / "folder").symlink_to(secret)
    with open(os.fsencode(inside) + b"/caf\xe9.png", "wb") as file:
        file.write(png(8))
    (inside / "a\n2026-01-01 forged line.png").write_bytes(b"no picture")
    one = watched()
    with caplog.at_level("INFO", "oatmeal"):
        one.start()
        until(lambda: series_shown(web, 1) == 1)
        (inside / "last.png").write_bytes(png(9))
        until(lambda: series_shown(web, 1) == 2)
        until(lambda: "forged" in caplog.text)
        one.stop()
    lines = [OneLine("%(message)s").format(record) for record in caplog.records]
    assert not any("\n" in line for line in lines)
    assert [line for line in lines if "caf" in line] == [
        f"not taken in from the watched folder: {inside}/caf\\udce9.png: its name is not UTF-8: "
        "give it another one"
    ]
    assert sum("link.png: it is a link that leads out" in line for line in lines) == 1
    assert not any("two.png" in line and "taken in from" in line[:12] for line in lines)


def test_a_folder_moved_in_and_a_library_that_is_away(watched, web, monkeypatch, caplog):
    """Nothing is lost: a folder that is moved in whole, and what could not be stored at once."""
    monkeypatch.setattr(watching, "AGAIN_S", 0.4)
    one = watched()
    add, tries = one._importer.add, []

    class Away:
        def __getattr__(self, name):
            return getattr(add.__self__, name)

        def add(self, *given, **more):
            tries.append(given[1])
            if len(tries) == 1:
                raise OperationalError("INSERT", {}, Exception("2013: lost"))
            return add(*given, **more)

    one._importer = Away()
    one.start()
    until(lambda: series_shown(web, 1) == 1)
    assert tries == ["DSC_1.png", "DSC_1.png"]
    assert "DSC_1.png could not be taken in yet; the database: 2013: lost" in caplog.text
    assert "Traceback" not in caplog.text
    outside = watched.folder.parent / "Late"
    outside.mkdir()
    (outside / "DSC_9.png").write_bytes(png(9))
    outside.rename(watched.folder / "Late")
    until(lambda: series_shown(web, 2) == 1)
    (watched.folder / "Late" / "DSC_9.png").rename(watched.folder.parent / "gone.png")
    time.sleep(0.3)
    (watched.folder / "Late" / "DSC_10.png").write_bytes(png(10))
    until(lambda: series_shown(web, 2) == 2)
    one.stop()


def test_the_watched_folder_must_be_there(tmp_path):
    assert Settings.from_environment({}).watch is None
    assert Settings.from_environment({"OATMEAL_WATCH": str(tmp_path)}).watch == tmp_path
    with pytest.raises(SettingError, match="OATMEAL_WATCH must be a folder"):
        Settings.from_environment({"OATMEAL_WATCH": str(tmp_path / "nowhere")})
