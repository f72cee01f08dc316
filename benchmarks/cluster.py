"""A folder of large frames: CPU and wall time of processes here, and of a cluster of workers.

For every way: seconds, CPU of all processes over that many times one frame's work, and the share of
the cores that was busy. Then how many jobs a scheduler with many workers is given at once, with
jobs that only wait. Run with ``.venv/bin/python benchmarks/cluster.py [frames]``.
"""

from __future__ import annotations

import ctypes
import json
import os
import resource
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from concurrent.futures import wait
from contextlib import suppress
from pathlib import Path

from frames import everything, large_jpeg
from PIL import Image

from oatmeal.exports import task
from oatmeal.exports.convert import Finished
from oatmeal.exports.task import Task
from oatmeal.exports.workers import Cluster
from oatmeal.photofile.output import Output

OATMEAL = [sys.executable, "-m", "oatmeal.cli"]
ONE_THREAD = {"NUMBA_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "VIPS_CONCURRENCY": "1"}


#: Of prctl(2): what a command leaves behind becomes a child of this process.
PR_SET_CHILD_SUBREAPER = 36


def used(command: list[str], **environment: str) -> tuple[float, float]:
    """Wall and CPU seconds of a command with all its processes, those that end after it too."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    begun = time.perf_counter()
    subprocess.run(command, check=True, env={**os.environ, **environment})
    wall = time.perf_counter() - begun
    with suppress(ChildProcessError):
        while True:
            os.wait()
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return wall, cpu


def folders(folder: Path, frames: int) -> None:
    source, out = folder / "in", folder / "out"
    source.mkdir()
    large = large_jpeg(folder)
    for number in range(frames):
        shutil.copy(large, source / f"{number:02d}.jpg")
    recipe = folder / "recipe.json"
    recipe.write_text(json.dumps(everything(1).document()))
    convert = [*OATMEAL, "convert", "--recipe", str(recipe), "--out"]
    small = [used([*convert, str(folder / "o.jpg"), str(large)], **ONE_THREAD) for _ in range(3)]
    tiny = folder / "tiny.png"
    Image.new("RGB", (24, 16), "sienna").save(tiny)
    start = min(used([*convert, str(folder / "o.jpg"), str(tiny)], **ONE_THREAD)[1] for _ in "123")
    one = sorted(cpu for _, cpu in small)[1] - start
    print(f"one frame's work: {one:.2f} s of CPU without the start ({start:.2f} s)")
    cores = os.cpu_count() or 1
    wall, cpu = used([*convert, f"{out}/", str(source)])
    print(
        f"{frames} frames here: {wall:.1f} s, CPU {cpu / one:.1f} x one frame = "
        f"{cpu / one / frames:.2f} x {frames}; cores busy {cpu / wall / cores:.0%}"
    )


def waiting(workers: int) -> None:
    """How many jobs that only wait run at the same time on so many workers."""
    import distributed

    now, most, lock, release = [0], [0], threading.Lock(), threading.Event()

    def run(wanted: Task, tell: object = None) -> Finished:
        with lock:
            now[0] += 1
            most[0] = max(most[0], now[0])
        release.wait(60)
        with lock:
            now[0] -= 1
        return Finished(1, 1, 1)

    task.run = run  # type: ignore[assignment]
    with (
        tempfile.TemporaryDirectory() as shared,
        distributed.LocalCluster(
            n_workers=workers, threads_per_worker=1, processes=False, dashboard_address=":0"
        ) as cluster,
    ):
        made = Cluster(cluster.scheduler_address, [Path(shared)], 1)
        places = made.places()
        begun = time.perf_counter()
        wanted = Task("", "", "", {}, Output(), "", "")
        jobs = [made.submit(wanted) for _ in range(places)]
        while now[0] < places and time.perf_counter() - begun < 30:
            time.sleep(0.01)
        print(
            f"{workers} workers: {places} places, {most[0]} jobs at the same time after "
            f"{time.perf_counter() - begun:.2f} s"
        )
        release.set()
        wait(jobs)
        made.close()


def main() -> None:
    frames = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1)
    with tempfile.TemporaryDirectory() as scratch:
        folders(Path(scratch), frames)
    waiting(8)
    waiting(64)


if __name__ == "__main__":
    main()
