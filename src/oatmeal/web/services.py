"""What views work with, found through the running application."""

from __future__ import annotations

from dataclasses import dataclass

from flask import current_app

from oatmeal.core.kernels import Making
from oatmeal.exports.joiner import Joiner
from oatmeal.exports.runner import Runner
from oatmeal.library.database import Database
from oatmeal.library.store import FileStore
from oatmeal.rendering.importing import Importer
from oatmeal.rendering.joindesk import JoinDesk
from oatmeal.rendering.printdesk import PrintDesk
from oatmeal.rendering.thumbnails import Small
from oatmeal.rendering.workbench import Workbench
from oatmeal.settings import Settings


@dataclass(frozen=True)
class Services:
    """What views work with."""

    database: Database
    store: FileStore
    workbench: Workbench
    small: Small
    importer: Importer
    runner: Runner
    joiner: Joiner
    join_desk: JoinDesk
    print_desk: PrintDesk
    settings: Settings
    making: Making


def services() -> Services:
    """The services of the running application."""
    found: Services = current_app.extensions["oatmeal"]
    return found
