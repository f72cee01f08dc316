"""Settings of an installation, read from the environment once at start."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from oatmeal.photofile.decode import Limits

#: Bytes of this machine's memory.
_MEMORY = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


class SettingError(ValueError):
    """A setting that cannot be used; the text names it."""


@dataclass(frozen=True)
class Settings:
    """Where data lives and what is accepted.

    Attributes
    ----------
    home : Path
        The one folder with everything (``OATMEAL_HOME``).
    port : int
        Port of the web server on 127.0.0.1 (``OATMEAL_PORT``); 0 takes a free one.
    limits : Limits
        Of uploaded files (``OATMEAL_MAX_BYTES``, ``OATMEAL_MAX_PIXELS``).
    cache_bytes : int
        How large the cache may grow before the oldest entries go (``OATMEAL_CACHE_BYTES``).
    cluster : str
        Address of a dask.distributed scheduler that does the exports (``OATMEAL_CLUSTER``); empty
        for processes on this machine.
    sent_bytes : int
        The largest original that is sent to workers of a cluster that do not see its file
        (``OATMEAL_CLUSTER_BYTES``).
    cluster_tls : tuple of Path
        Certificates of the cluster's authority and of our own, and its key
        (``OATMEAL_CLUSTER_CA``, ``OATMEAL_CLUSTER_CERT``, ``OATMEAL_CLUSTER_KEY``); empty: none.
    desk_bytes : int
        Memory that photographs being worked on may take before the longest unused is put away
        (``OATMEAL_DESK_BYTES``); usually a quarter of the machine's, at most 4 GiB.
    desk_sizes : int
        Sizes that each of them holds ready (``OATMEAL_DESK_SIZES``).
    access : str
        Who may come in (``OATMEAL_ACCESS``): ``one``, whoever has the address that is printed at
        the start, or ``machine``, everybody who works on this machine.
    hosts : tuple of str
        Names under which a reverse proxy serves it, besides this machine's own
        (``OATMEAL_HOSTS``, with commas between).
    watch : Path or None
        A folder that is taken in as files arrive in it, a series for each folder inside
        (``OATMEAL_WATCH``).
    """

    home: Path
    port: int = 8437
    limits: Limits = Limits()
    cache_bytes: int = 4 * 1024**3
    cluster: str = ""
    sent_bytes: int = 256 * 1024**2
    cluster_tls: tuple[Path, ...] = ()
    desk_bytes: int = min(4 * 1024**3, _MEMORY // 4)
    desk_sizes: int = 5
    access: str = "one"
    hosts: tuple[str, ...] = ()
    watch: Path | None = None

    @classmethod
    def from_environment(
        cls, environment: Mapping[str, str] = os.environ, home_name: str = "oatmeal"
    ) -> Settings:
        """Settings of this process; raises :class:`SettingError` for what is no number."""
        default = Path.home() / ".local" / "share" / home_name
        home = Path(environment.get("OATMEAL_HOME") or default).expanduser().absolute()
        standard = cls(home)
        return cls(
            home,
            _number(environment, "OATMEAL_PORT", standard.port, highest=65535),
            Limits(
                _number(environment, "OATMEAL_MAX_BYTES", standard.limits.max_bytes),
                _number(environment, "OATMEAL_MAX_PIXELS", standard.limits.max_pixels),
            ),
            _number(environment, "OATMEAL_CACHE_BYTES", standard.cache_bytes),
            _scheduler(environment, "OATMEAL_CLUSTER"),
            _number(environment, "OATMEAL_CLUSTER_BYTES", standard.sent_bytes),
            _certificates(environment, "OATMEAL_CLUSTER_"),
            _number(environment, "OATMEAL_DESK_BYTES", standard.desk_bytes),
            _number(environment, "OATMEAL_DESK_SIZES", standard.desk_sizes, lowest=2, highest=20),
            _choice(environment, "OATMEAL_ACCESS", ("one", "machine")),
            tuple(
                name.strip()
                for name in environment.get("OATMEAL_HOSTS", "").split(",")
                if name.strip()
            ),
            _folder(environment, "OATMEAL_WATCH"),
        )


def _choice(environment: Mapping[str, str], name: str, choices: tuple[str, ...]) -> str:
    """One of the choices; the first is usual."""
    text = environment.get(name) or choices[0]
    if text not in choices:
        raise SettingError(f"{name} must be {' or '.join(choices)}, not {text[:40]!r}.")
    return text


def _scheduler(environment: Mapping[str, str], name: str) -> str:
    """The address of a scheduler, such as ``tcp://host:8786``; empty for none."""
    text = environment.get(name, "")
    if text and not re.fullmatch(r"(\w+://)?[^\s/:]+(:\d{1,5})/?|inproc://\S+", text):
        raise SettingError(
            f"{name} must be the address of a scheduler, such as tcp://scheduler:8786, "
            f"not {text[:100]!r}."
        )
    return text


def _certificates(environment: Mapping[str, str], prefix: str) -> tuple[Path, ...]:
    """Files of an authority's certificate, an own one and its key: all of them or none."""
    names = [prefix + name for name in ("CA", "CERT", "KEY")]
    given = [environment.get(name, "") for name in names]
    if not any(given):
        return ()
    for name, text in zip(names, given, strict=True):
        if not text:
            raise SettingError(f"{name} must be set, too: {', '.join(names)} belong together.")
        if not Path(text).expanduser().is_file():
            raise SettingError(f"{name} must be a file that is there, not {text[:200]!r}.")
    if not environment.get("OATMEAL_CLUSTER", "tls://").startswith("tls://"):
        raise SettingError("With certificates OATMEAL_CLUSTER must begin with tls://.")
    return tuple(Path(text).expanduser().absolute() for text in given)


def _folder(environment: Mapping[str, str], name: str) -> Path | None:
    """A folder that is there, or none."""
    text = environment.get(name)
    if not text:
        return None
    path = Path(text).expanduser().absolute()
    if not path.is_dir():
        raise SettingError(f"{name} must be a folder that is there, not {text[:200]!r}.")
    return path


def _number(
    environment: Mapping[str, str],
    name: str,
    standard: int,
    lowest: int = 0,
    highest: int = 1 << 62,
) -> int:
    text = environment.get(name)
    if not text:
        return standard
    if not text.isdecimal() or len(text) > 20:
        raise SettingError(f"{name} must be a whole number, not {text[:40]!r}.")
    if int(text) > highest:
        raise SettingError(f"{name} must be {highest} at the most, not {text}.")
    if int(text) < lowest:
        raise SettingError(f"{name} must be {lowest} at the least, not {text}.")
    return int(text)
