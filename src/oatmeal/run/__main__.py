"""``python -m oatmeal.run`` starts Oatmeal; with ``demo``, on the demo series."""

import sys

from oatmeal.run.serve import main

sys.exit(main())
