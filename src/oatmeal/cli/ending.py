"""The end of a command's process."""

from __future__ import annotations

import atexit
import os
import sys
import threading
from typing import NoReturn


def leave(status: int) -> NoReturn:
    """End this process with an exit status, without taking apart what it has loaded.

    Python would free every module and object one by one, a tenth of a second after a conversion,
    and the system frees them all the same. What is registered for the end of the process is done;
    where threads still run, or nobody takes what was printed, it ends as usual.
    """
    try:
        for stream in (sys.stdout, sys.stderr):
            stream.flush()
    except (OSError, ValueError):
        sys.exit(status)
    if threading.active_count() > 1:
        sys.exit(status)
    atexit._run_exitfuncs()
    os._exit(status)
