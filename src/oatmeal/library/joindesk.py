"""Joins being looked at: found and laid on the reduced copies, in the background, step by step."""

from __future__ import annotations

import hashlib
import json
import logging
import threading
from collections import OrderedDict
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.join import Choices, Found, Frame, JoinError, Laid, find, lay
from oatmeal.core.picture import ArrayPicture
from oatmeal.library.errors import Missing
from oatmeal.library.proxies import BENCH_SIDE, Proxies
from oatmeal.library.store import Original
from oatmeal.photofile.errors import PhotoFileError

log = logging.getLogger("oatmeal")

#: Joins that are kept: as found, and as laid.
_FOUND: Final = 1
_LAID: Final = 4

_QUALITY: Final = 85


@dataclass(frozen=True)
class Shown:
    """A frame as the desk needs it: its original, its number on the sheet, its size."""

    original: Original
    number: str
    width: int
    height: int


@dataclass
class Look:
    """A join that is being looked at: the step that is under way, or what came of it."""

    token: str
    step: str = "waiting"
    laid: Laid | None = None
    problem: str = ""
    done: threading.Event = field(default_factory=threading.Event)


class JoinDesk:
    """Finds and lays joins, one at a time; the newest wish goes first."""

    def __init__(self, proxies: Proxies, most_pixels: int) -> None:
        self._proxies = proxies
        self._most_pixels = most_pixels
        self._lock = threading.Lock()
        self._work = threading.Lock()
        self._looks: OrderedDict[str, Look] = OrderedDict()
        self._found: OrderedDict[Hashable, Found] = OrderedDict()
        self._newest = ""

    def look(self, frames: Sequence[Shown], choices: Choices, wait_s: float = 0.15) -> Look:
        """Begin, or go on with, a look at a join; waits a moment for it to be done."""
        token = _token(frames, choices)
        with self._lock:
            look = self._looks.get(token)
            self._newest = token
            if look is None:
                look = self._looks[token] = Look(token)
                while len(self._looks) > _LAID:
                    self._looks.popitem(last=False)
                threading.Thread(
                    target=self._make, args=(look, list(frames), choices), daemon=True
                ).start()
            else:
                self._looks.move_to_end(token)
        look.done.wait(wait_s)
        if look.problem:  # told once: what was wrong may be put right
            with self._lock:
                self._looks.pop(token, None)
        return look

    def laid(self, token: str) -> Laid:
        """What came of a look; raises :class:`Missing` once it is forgotten."""
        with self._lock:
            look = self._looks.get(token)
        if look is None or look.laid is None:
            raise Missing("This join is not held any more: look at it again.")
        return look.laid

    def _make(self, look: Look, frames: list[Shown], choices: Choices) -> None:
        def told(step: str) -> None:
            look.step = step

        try:
            with self._work:
                if look.token != self._newest:  # another wish goes first; this one is asked again
                    with self._lock:
                        self._looks.pop(look.token, None)
                    return
                found = self._find(frames, choices.lens, told)
                enlarged = max(
                    max(frame.width, frame.height) / max(one.width, one.height)
                    for frame, one in zip(frames, found.frames, strict=True)
                )
                look.laid = lay(
                    found, choices, most_pixels=self._most_pixels, enlarged=enlarged, told=told
                )
        except (JoinError, PhotoFileError) as error:
            look.problem = str(error)
        except Exception:
            log.exception("a join could not be looked at")
            look.problem = "These frames could not be joined; the server's log says more."
        finally:
            look.done.set()

    def _find(self, frames: list[Shown], lens: bool, told: Any) -> Found:
        key = (tuple((frame.original.sha256, frame.number) for frame in frames), lens)
        found = self._found.get(key)
        if found is None:
            told("reading")
            pictures = [
                ArrayPicture(self._proxies.read(frame.original, BENCH_SIDE)) for frame in frames
            ]
            copies = [
                Frame.of(f"Frame {frame.number}", picture)
                for frame, picture in zip(frames, pictures, strict=True)
            ]
            found = self._found[key] = find(copies, lens=lens, told=told)
            while len(self._found) > _FOUND:
                self._found.popitem(last=False)
        self._found.move_to_end(key)
        return found


def _token(frames: Sequence[Shown], choices: Choices) -> str:
    wanted = [[frame.original.sha256, frame.number] for frame in frames]
    text = json.dumps([wanted, choices.model_dump()], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def told(laid: Laid) -> dict[str, Any]:
    """What a page shows of a join beside its picture."""
    height, width = laid.labels.shape
    raised = laid.light.raised
    frames = []
    for k, frame in enumerate(laid.found.frames):
        own = np.argwhere(laid.labels == k)
        middle = own.mean(axis=0) if len(own) else None
        frames.append(
            {
                "name": frame.name.removeprefix("Frame "),
                "place": None
                if middle is None
                else [(middle[1] + 0.5) / width, (middle[0] + 0.5) / height],
                "stops": round(laid.light.stops[k] + raised, 3) if k in laid.light.stops else None,
            }
        )
    across, up = laid.extent
    return {
        "projection": laid.projection,
        "width": laid.size[0],
        "height": laid.size[1],
        "across": round(across),
        "up": round(up),
        "falloff": round(laid.light.near + laid.light.far, 2),
        "frames": frames,
        "notes": laid.notes,
    }


def picture(laid: Laid) -> bytes:
    """The joined picture as a JPEG, as light as its frames."""
    light = laid.picture * np.float32(2.0**laid.light.raised)
    codes = (encode_srgb(np.clip(light, 0, 1)) * 255 + 0.5).astype(np.uint8)
    return _encoded(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])


def seams(laid: Laid) -> bytes:
    """Where one frame ends and the next begins: a PNG to be laid over the picture."""
    labels = laid.labels
    edge = np.zeros(labels.shape, dtype=np.uint8)
    edge[:, 1:] |= labels[:, 1:] != labels[:, :-1]
    edge[1:] |= labels[1:] != labels[:-1]
    wide = cv2.dilate(edge, np.ones((5, 5), np.uint8))
    line = cv2.dilate(edge, np.ones((2, 2), np.uint8))
    shown = np.zeros((*labels.shape, 4), dtype=np.uint8)
    shown[wide > 0] = (0, 0, 0, 150)
    shown[line > 0] = (255, 255, 255, 255)
    return _encoded(".png", shown)


def _encoded(suffix: str, codes: NDArray[np.uint8], options: Sequence[int] = ()) -> bytes:
    done, data = cv2.imencode(suffix, np.ascontiguousarray(codes), list(options))
    if not done:
        raise ValueError("the picture could not be encoded")
    return data.tobytes()
