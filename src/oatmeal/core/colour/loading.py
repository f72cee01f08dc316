"""How compiled loops are loaded: quickly where numba is the very one that this was written for.

To be imported before any loop is called. What makes it quick replaces functions of numba's own;
with any other version they stay as they are, and loading takes the time that numba takes.
"""

from __future__ import annotations

from oatmeal.core.kept import QUICK

if QUICK:
    from oatmeal.core.colour import quick_loading as quick_loading
