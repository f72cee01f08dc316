"""The start command as a process: address, clean stop, kill -9 in the middle of work."""

import errno
import json
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from http.client import HTTPException
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from running import Oatmeal, hear_interrupts
from samples import codes, write_png
from sqlalchemy import text

from oatmeal import __version__
from oatmeal.host import disk
from oatmeal.run import serve
from oatmeal.run.mariadb import StartError
from oatmeal.settings import SettingError, Settings


def red(stops):
    return {"mix": {"lifts": {"red": stops}}}


def test_kill_in_the_middle_of_edits_and_of_an_import(tmp_path):
    home = tmp_path / "home"
    picture = write_png(tmp_path / "a.png", codes()).read_bytes()
    large = write_png(tmp_path / "b.png", codes(900, 1300, seed=9)).read_bytes()
    oatmeal = Oatmeal(home)
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    added = oatmeal.call("POST", f"api/series/{series}/photographs", picture, X_File_Name="a.png")
    version = 1
    acknowledged, imported = [1], [added["id"]]

    def edit():
        for count in range(1, 4000):
            body = {"revision": acknowledged[-1], "recipe": red(count / 1000)}
            try:
                saved = oatmeal.call("PUT", f"api/versions/{version}/recipe", body)
            except (OSError, HTTPException):  # no answer, or half of one
                return
            acknowledged.append(saved["revision"])

    def add():
        for number in range(200):
            name = f"b{number}.png"
            try:
                made = oatmeal.call(
                    "POST", f"api/series/{series}/photographs", large, X_File_Name=name
                )
            except (OSError, HTTPException):
                return
            imported.append(made["id"])

    threads = [threading.Thread(target=work) for work in (edit, add)]
    for thread in threads:
        thread.start()
    end = time.monotonic() + 30
    while (len(acknowledged) < 25 or len(imported) < 3) and time.monotonic() < end:
        time.sleep(0.01)
    half_open = socket.create_connection(("127.0.0.1", int(oatmeal.address.split(":")[2][:-1])))
    oatmeal.kill()
    for thread in threads:
        thread.join()
    half_open.close()
    assert len(acknowledged) >= 25
    assert len(imported) >= 3

    oatmeal = Oatmeal(home)
    state = oatmeal.call("GET", f"api/versions/{version}")
    assert state["revision"] >= acknowledged[-1]  # one more may have been stored, none fewer
    expected = (state["revision"] - 1) / 1000
    assert state["recipe"]["mix"]["lifts"]["red"] == expected
    page = oatmeal.opener.open(f"{oatmeal.address}series/{series}").read().decode()
    frames = [int(found) for found in re.findall(r'data-frame="(\d+)"', page)]
    assert set(imported) <= set(frames)
    for number in frames:  # no half-imported frame: every one can be shown
        picture = oatmeal.opener.open(f"{oatmeal.address}pictures/{number}.jpg").read()
        assert picture[:2] == b"\xff\xd8"
    assert list((home / "incoming").iterdir()) == []
    undone = oatmeal.call("POST", f"api/versions/{version}/undo", {"revision": state["revision"]})
    assert undone["recipe"]["mix"]["lifts"]["red"] == pytest.approx(expected - 0.001)
    assert oatmeal.stop() == 0
    assert "everything is saved" in oatmeal.said
    assert not (home / "database" / "mariadb.pid").exists()


def test_a_missing_database_program_is_named(tmp_path, monkeypatch):
    from oatmeal.run import mariadb

    monkeypatch.setattr(mariadb.shutil, "which", lambda *args, **more: None)
    with pytest.raises(mariadb.StartError, match="mariadb-server"):
        mariadb.PrivateServer(tmp_path).start()


def test_settings():
    settings = Settings.from_environment({"OATMEAL_HOME": "/x", "OATMEAL_MAX_PIXELS": "5"})
    assert str(settings.home) == "/x"
    assert settings.limits.max_pixels == 5
    assert settings.limits.max_bytes == 500 * 1024 * 1024
    with pytest.raises(SettingError, match="OATMEAL_PORT"):
        Settings.from_environment({"OATMEAL_PORT": "high"})


def test_a_server_from_its_first_start_to_the_last_of_its_ends():
    """In a home with odd letters, which are nobody else's."""
    with TemporaryDirectory(prefix="my 'ö\"$ pictures ") as folder:
        home = Path(folder) / "in here"
        oatmeal = Oatmeal(home)
        assert home.stat().st_mode & 0o077 == 0
        it_works_for_who_has_the_key(oatmeal)
        it_works_alone_in_its_folder(oatmeal)
        its_database_is_started_again_and_nothing_acknowledged_is_lost(oatmeal, Path(folder))
        assert oatmeal.stop() == 0
        # and nothing of what was left behind
        assert oatmeal.said.endswith("everything is saved.\n")
        (home / "database" / "password").write_text("")
        (home / "secret").write_text("")
        before = signal.signal(signal.SIGTERM, signal.SIG_IGN)  # what it begins must hear it
        try:
            again = Oatmeal(home)
        finally:
            signal.signal(signal.SIGTERM, before)
        assert again.call("PATCH", "api/series/1", {"name": "Lift"})["name"] == "Lift"
        assert len((home / "database" / "password").read_text()) > 20
        it_ends_in_order_when_its_terminal_is_closed(again)


def it_works_for_who_has_the_key(oatmeal):
    assert "?key=" in oatmeal.door
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(oatmeal.address)
    assert refused.value.code == 403
    assert oatmeal.call("GET", "api/exports") == {"batches": []}


def it_works_alone_in_its_folder(oatmeal):
    second = subprocess.run(
        [sys.executable, "-m", "oatmeal.run"],
        env={**os.environ, "OATMEAL_HOME": str(oatmeal.home), "OATMEAL_PORT": "0"},
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert second.returncode == 1
    assert f"already running with {oatmeal.home}, at {oatmeal.shown}" in second.stderr


def its_database_is_started_again_and_nothing_acknowledged_is_lost(oatmeal, folder):
    """Edits go on through several kills -9 of the database; a refused one is sent again."""
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    picture = write_png(folder / "a.png", codes()).read_bytes()
    oatmeal.call("POST", f"api/series/{series}/photographs", picture, X_File_Name="a.png")
    revision, stops, said = 1, 0.0, []
    for _ in range(4):
        for _ in range(5):
            stops += 0.01
            body = {"revision": revision, "recipe": red(round(stops, 2))}
            revision = oatmeal.call("PUT", "api/versions/1/recipe", body)["revision"]
        database = oatmeal.home / "database" / "mariadb.pid"
        os.kill(int(database.read_text()), signal.SIGKILL)
        end = time.monotonic() + 30
        while True:
            stops_next = round(stops + 0.01, 2)
            try:
                body = {"revision": revision, "recipe": red(stops_next)}
                revision = oatmeal.call("PUT", "api/versions/1/recipe", body)["revision"]
                stops = stops_next
                break
            except urllib.error.HTTPError as refused:
                said.append((refused.code, json.loads(refused.read())["detail"]))
                if time.monotonic() > end:
                    raise
    assert all(code == 503 and "not stored" in detail for code, detail in said), said
    found = oatmeal.call("GET", "api/versions/1")
    assert found["recipe"]["mix"]["lifts"]["red"] == round(stops, 2)
    assert found["revision"] == revision


def it_ends_in_order_when_its_terminal_is_closed(oatmeal):
    database = int((oatmeal.home / "database" / "mariadb.pid").read_text())
    oatmeal.process.stdout.close()  # nobody reads what it prints any more
    oatmeal.process.send_signal(signal.SIGHUP)
    assert oatmeal.process.wait(40) == 0
    log = (oatmeal.home / "oatmeal.log").read_text()
    assert "the terminal was closed: stopping" in log
    assert log.rstrip().endswith("stopped; everything is saved")
    assert "Traceback" not in log
    with pytest.raises(ProcessLookupError):
        os.kill(database, 0)


@pytest.mark.parametrize("port", ["99999", "1" * 5000, "-1", "x"])
def test_a_port_that_cannot_be_is_refused_with_a_sentence(port):
    with pytest.raises(SettingError, match="OATMEAL_PORT must be"):
        Settings.from_environment({"OATMEAL_PORT": port})


def test_a_port_that_is_taken_or_not_permitted_is_told_apart(monkeypatch, capsys):
    with socket.create_server(("127.0.0.1", 0)) as other:
        taken = other.getsockname()[1]
        with pytest.raises(StartError, match=f"Port {taken} is taken by another program"):
            serve._listener(taken)
        monkeypatch.setattr(serve, "USUAL_PORT", taken)
        with serve._listener(taken) as found:
            other_port = found.getsockname()[1]
        said = capsys.readouterr().out
        assert f"Port {taken} is taken by another program; {other_port} is used." in said

    def bind(self, address):
        raise PermissionError(errno.EACCES, "Permission denied")

    monkeypatch.setattr(serve.socket.socket, "bind", bind)
    with pytest.raises(StartError, match=r"Port 80 cannot be used \(Permission denied\)"):
        serve._listener(80)


@pytest.mark.parametrize("address", ["nonsense here", "tcp://", "tcp://host:port", "a/b"])
def test_a_scheduler_that_cannot_be_is_refused_with_a_sentence(address):
    with pytest.raises(SettingError, match="OATMEAL_CLUSTER must be the address of a scheduler"):
        Settings.from_environment({"OATMEAL_CLUSTER": address})


def test_tables_of_a_version_that_is_not_known_are_one_sentence(database, tmp_path):
    (tmp_path / "version").write_text("99.1\n")
    with database.engine.begin() as connection:
        before = connection.scalar(text("SELECT version_num FROM alembic_version"))
        connection.execute(text("UPDATE alembic_version SET version_num = '0999'"))
    try:
        with pytest.raises(StartError) as told:
            serve._migrate(database, tmp_path)
    finally:
        with database.engine.begin() as connection:
            connection.execute(text(f"UPDATE alembic_version SET version_num = '{before}'"))
    assert str(told.value).startswith(
        f"The library in {tmp_path} was last used by Oatmeal 99.1, whose tables (0999) this one, "
    )
    serve._migrate(database, tmp_path)
    assert (tmp_path / "version").read_text().strip() == __version__


def test_what_a_start_makes_nobody_else_may_change(tmp_path):
    """Whatever the shell's mask is."""
    process = subprocess.Popen(
        [sys.executable, "-m", "oatmeal.run"],
        env={**os.environ, "OATMEAL_HOME": str(tmp_path / "home"), "OATMEAL_PORT": "0"},
        stdout=subprocess.PIPE, text=True,
        preexec_fn=lambda: (os.umask(0), hear_interrupts()),
    )  # fmt: skip
    for line in process.stdout:
        if "http://" in line:
            break
    made = {path: path.stat().st_mode & 0o777 for path in (tmp_path / "home").rglob("*")}
    assert (tmp_path / "home").stat().st_mode & 0o777 == 0o700
    assert made[tmp_path / "home" / "running"] == 0o600
    assert made[tmp_path / "home" / "secret"] == 0o600
    inside = {path: mode for path, mode in made.items() if "database" not in path.parts}
    assert not {path: oct(mode) for path, mode in inside.items() if mode & 0o022}
    process.send_signal(signal.SIGINT)
    process.communicate()


BEGINNER = """
import os, time
from oatmeal.exports.task import process_pool
from oatmeal.rendering.reading import Reader

reader = Reader(1)
reader.warm()
pool = process_pool(1)
print(pool.submit(os.getpid).result(), reader._idle.queue[0]._process.pid, flush=True)
time.sleep(60)
"""


def test_what_a_killed_server_began_ends_at_once():
    """Also what had nothing to do: it would hold the files and the memory for ever."""
    server = subprocess.Popen([sys.executable, "-c", BEGINNER], stdout=subprocess.PIPE, text=True)
    begun = [int(number) for number in server.stdout.readline().split()]
    assert len(begun) == 2
    server.kill()
    server.communicate()
    end = time.monotonic() + 10
    while any(map(runs, begun)) and time.monotonic() < end:
        time.sleep(0.02)
    assert not any(map(runs, begun))


def runs(process):
    """False if it ended, whether or not somebody took notice."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def test_a_full_disk_at_the_start_is_named(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("OATMEAL_HOME", str(tmp_path / "home"))
    monkeypatch.setattr(disk, "free", lambda folder: 2_000_000)
    assert serve.main([]) == 1
    said = capsys.readouterr()
    assert said.err == (
        "Oatmeal cannot start. The database needs 60 MB, and the disk that holds "
        f"{tmp_path / 'home' / 'database'} has 2.0 MB free: make room there.\n"
    )
    assert "everything is saved" not in said.out


def test_a_start_that_failed_leaves_signals_as_they_were(tmp_path, monkeypatch):
    """Or whatever is started next would ignore them, and its children could not be ended."""
    numbers = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    before = [signal.getsignal(number) for number in numbers]
    monkeypatch.setenv("OATMEAL_HOME", str(tmp_path / "home"))
    monkeypatch.setattr(disk, "free", lambda folder: 10)
    assert serve.main([]) == 1
    assert [signal.getsignal(number) for number in numbers] == before


def test_what_is_being_started_while_it_stops_can_be_ended():
    """Or a start that failed would wait for ever for the process that reads files."""
    before = {number: signal.getsignal(number) for number in serve._CALLED_OFF}
    code = "import signal; print(signal.getsignal(signal.SIGTERM) is signal.SIG_DFL)"
    try:
        serve._let_finish()
        os.kill(os.getpid(), signal.SIGTERM)  # and it is not cut off itself
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
    assert done.stdout == "True\n"


def test_a_disk_that_fills_during_the_start_is_named(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("OATMEAL_HOME", str(tmp_path / "home"))

    def full(*given):
        raise OSError(errno.ENOSPC, "No space left on device", "/somewhere")

    monkeypatch.setattr(serve.FileStore, "__init__", full)
    assert serve.main([]) == 1
    said = capsys.readouterr().err
    assert f"and the disk that holds {tmp_path / 'home'} has" in said


def test_ctrl_c_while_it_loads_says_nothing(tmp_path):
    process = subprocess.Popen(
        [sys.executable, "-m", "oatmeal.run"],
        env={**os.environ, "OATMEAL_HOME": str(tmp_path / "home"), "OATMEAL_PORT": "0"},
        stderr=subprocess.PIPE,
        preexec_fn=hear_interrupts,
    )
    time.sleep(0.3)
    process.send_signal(signal.SIGINT)
    try:
        process.wait(15)
    except subprocess.TimeoutExpired:  # on a busy machine it came before anything could hear it
        process.send_signal(signal.SIGINT)
    assert process.communicate(timeout=40)[1] == b""


def test_ctrl_c_is_nothing_to_a_process_that_is_loading(tmp_path):
    script = tmp_path / "begin.py"
    script.write_text(
        """
import os, signal, threading
from oatmeal.host import disk
from oatmeal.host.processes import beginning

if __name__ == "__main__":
    signal.signal(signal.SIGINT, lambda *given: None)
    threading.Timer(0.3, os.killpg, (0, signal.SIGINT)).start()
    process = beginning().Process(target=print, args=("begun",))
    process.start()  # when all is loaded
    process.join()
"""
    )
    done = subprocess.run(
        [sys.executable, script],
        capture_output=True,
        text=True,
        timeout=60,
        start_new_session=True,
        preexec_fn=hear_interrupts,
    )
    assert (done.stdout, done.stderr) == ("begun\n", "")


def test_processes_of_the_server_read_its_start_without_the_server(tmp_path):
    code = """
import runpy, sys
runpy.run_module("oatmeal.run", run_name="__mp_main__")
print([name for name in ("flask", "sqlalchemy", "numba") if name in sys.modules])
"""
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        timeout=15,  # as the server it would run on
        env={**os.environ, "OATMEAL_HOME": str(tmp_path)},
    )
    assert done.stdout.strip() == "[]", done.stderr
