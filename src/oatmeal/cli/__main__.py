"""``python -m oatmeal.cli``."""

import sys

from oatmeal.cli import main

sys.exit(main())
