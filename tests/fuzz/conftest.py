"""What fuzz tests share: a time limit, a seed, and the figures that they end with."""

import random
import time
from collections import Counter

import pytest


class Fuzz:
    """Random input until the time is over; counts what came of it."""

    def __init__(self, seconds, seed):
        self.random = random.Random(seed)
        self.seed = seed
        self.count = Counter()
        self.slowest = 0.0
        self._end = time.monotonic() + seconds

    def goes_on(self):
        return time.monotonic() < self._end

    def timed(self, limit_s, work, *given, **more):
        """What the work gives back; it fails the test if it took longer than the limit."""
        begun = time.monotonic()
        result = work(*given, **more)
        took = time.monotonic() - begun
        self.slowest = max(self.slowest, took)
        assert took < limit_s, f"took {took:.1f} s"
        return result


@pytest.fixture
def fuzz(request, capsys):
    made = Fuzz(request.config.getoption("--fuzz-seconds"), request.config.getoption("--fuzz-seed"))
    yield made
    counted = ", ".join(f"{name} {number}" for name, number in sorted(made.count.items()))
    with capsys.disabled():
        print(
            f"\n{request.node.name} (seed {made.seed}): {counted}; slowest {made.slowest:.1f} s",
            flush=True,
        )
