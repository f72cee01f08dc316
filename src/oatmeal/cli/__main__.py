"""``python -m oatmeal.cli``."""

from oatmeal.cli import run

run()
