"""The memory of one frame serves the next."""

import subprocess
import sys

COUNT = """
import resource, sys
import numpy as np
from oatmeal.host.allocator import keep_frames

def faults():
    return resource.getrusage(resource.RUSAGE_SELF).ru_minflt

def frames(count):
    before = faults()
    for _ in range(count):
        np.empty(4_000_000, np.float32).fill(1)
    return faults() - before

fresh = frames(20)
kept = keep_frames()
frames(2)
print(int(kept), fresh, frames(20))
"""


def test_a_frame_of_the_same_size_touches_no_new_pages():
    done = subprocess.run([sys.executable, "-c", COUNT], capture_output=True, text=True, check=True)
    kept, fresh, again = map(int, done.stdout.split())
    assert kept == 1
    assert again < fresh / 10
