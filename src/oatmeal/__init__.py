"""Oatmeal: black and white conversion for photographers."""

import os

__version__ = "0.3.0"

# The linear algebra here is small; its library's threads would only take the cores from the
# kernels. It reads this once, when numpy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
