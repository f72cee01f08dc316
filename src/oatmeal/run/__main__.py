"""``python -m oatmeal.run`` starts Oatmeal; with ``demo``, on the demo series."""

import sys

from oatmeal.host.allocator import made_to_last

if __name__ == "__main__":  # processes that this one starts read it too, and need none of it
    try:
        with made_to_last():
            from oatmeal.run.serve import main
    except KeyboardInterrupt:  # nothing was begun
        sys.exit(130)
    sys.exit(main())
