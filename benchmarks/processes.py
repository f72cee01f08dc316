"""What whole processes cost, from their start to their end, in one run.

A small picture and a 24 MP one through ``oatmeal convert``, the large one against a process that
calls libvips for about the same: grey by weights, a table, what a blur of 30 pixels adds, JPEG. Run
with ``.venv/bin/python benchmarks/processes.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
from frames import DEMO, everything, large_jpeg, say

from oatmeal.core import kernels

CHAIN = """
import sys
import numpy as np
import pyvips
picture = pyvips.Image.new_from_file(sys.argv[1], access="sequential")
grey = picture.recomb([[0.2126, 0.7152, 0.0722]]).cast("uchar")
table = (255 * (np.arange(256) / 255) ** 0.9).astype(np.uint8)
grey = grey.maplut(pyvips.Image.new_from_memory(table.tobytes(), 256, 1, 1, "uchar"))
wide = grey.gaussblur(30)
(grey + (grey - wide) * 0.3).cast("uchar").jpegsave(sys.argv[2], Q=92)
"""


def seconds(*commands: list[str], rounds: int = 5) -> list[float]:
    """Median seconds of each process; they take turns, so that a slow minute is everybody's."""
    times: list[list[float]] = [[] for _ in commands]
    for _ in range(rounds + 1):
        for found, command in zip(times, commands, strict=True):
            begun = time.perf_counter()
            subprocess.run(command, check=True, capture_output=True)
            found.append(time.perf_counter() - begun)
    return [statistics.median(found[1:]) for found in times]


def main() -> None:
    kernels.warm()
    oatmeal = [sys.executable, "-m", "oatmeal.cli"]
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        large, small = large_jpeg(folder), folder / "small.jpg"
        cv2.imwrite(str(small), cv2.resize(cv2.imread(str(DEMO / "first-lift.jpg")), (640, 427)))
        recipe, out = folder / "recipe.json", str(folder / "out.jpg")
        recipe.write_text(json.dumps(everything(3).document()))
        words, one = seconds([*oatmeal, "--help"], [*oatmeal, "convert", str(small), "--out", out])
        say("oatmeal --help", words, "s", "<= 0.3")
        say("a small picture converted", one, "s", "<= 1.0")
        convert = [*oatmeal, "convert", str(large), "--recipe", str(recipe), "--out", out]
        chain = [sys.executable, "-c", CHAIN, str(large), out]
        own, vips = seconds(convert, chain)
        say("24 MP, a full recipe", own, "s", "")
        say("  over a process of libvips calls", own / vips, "x", "<= 1.5")


if __name__ == "__main__":
    main()
