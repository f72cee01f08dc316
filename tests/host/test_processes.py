"""Processes that are begun by this one, and what is left of those that were killed."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest

BEGUN = """
import time
from oatmeal.rendering.reading import Reader
Reader().warm()
print("begun", flush=True)
time.sleep(60)
"""


def begun(folder):
    environment = {**os.environ, "TMPDIR": str(folder)}
    process = subprocess.Popen(
        [sys.executable, "-c", BEGUN], stdout=subprocess.PIPE, env=environment, text=True
    )
    process.stdout.readline()
    return process


@pytest.fixture
def short():
    """A temporary folder with a path that is short enough for sockets."""
    folder = Path(tempfile.mkdtemp(prefix="o-", dir="/tmp"))
    yield folder
    shutil.rmtree(folder)


def test_the_next_start_clears_what_killed_processes_left(short):
    """And leaves those alone that are at work, and what is not its own."""
    tmp_path = short
    theirs = tmp_path / "pymp-of-another-program"
    theirs.mkdir()
    killed, working = begun(tmp_path), begun(tmp_path)
    folder = tmp_path / f"oatmeal-{os.getuid()}"
    before = set(folder.iterdir())
    assert len(before) == 2
    killed.send_signal(signal.SIGKILL)
    killed.wait()
    gone_by = time.monotonic() + 20
    while Path("/proc/net/unix").read_text().count(str(folder)) > 1:  # its server ends by itself
        assert time.monotonic() < gone_by
        time.sleep(0.05)
    for one in before:
        os.utime(one, (0, 0))
    last = begun(tmp_path)
    left = set(folder.iterdir())
    assert len(left) == 2
    assert len(left & before) == 1
    assert theirs.exists()
    for one in (working, last):
        one.kill()
        one.wait()
