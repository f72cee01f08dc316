"""Joins being looked at: found and laid on the reduced copies, in the background, step by step."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.join import Choices, Found, Frame, JoinError, Laid, find, lay
from oatmeal.core.picture import ArrayPicture
from oatmeal.library.store import Original
from oatmeal.photofile.errors import PhotoFileError
from oatmeal.rendering.jobs import Job, Jobs, Tell
from oatmeal.rendering.proxies import BENCH_SIDE, Proxies

#: Joins that are held as they are laid.
_KEPT: Final = 4

_QUALITY: Final = 85


@dataclass(frozen=True)
class Shown:
    """A frame as the desk needs it: its original, its number on the sheet, its size."""

    original: Original
    number: str
    width: int
    height: int


class JoinDesk:
    """Finds and lays joins on the bench's copies."""

    def __init__(self, proxies: Proxies, most_pixels: int) -> None:
        self._proxies = proxies
        self._most_pixels = most_pixels
        self._found: tuple[Hashable, Found] | None = None
        self._jobs: Jobs[Laid] = Jobs(
            _KEPT,
            (JoinError, PhotoFileError),
            "These frames could not be joined",
            "This join is not held any more: look at it again.",
        )

    def look(self, frames: Sequence[Shown], choices: Choices) -> Job[Laid]:
        """Begin, or go on with, a look at a join."""
        wanted = list(frames)
        return self._jobs.ask(
            _token(wanted, choices), lambda told: self._laid(wanted, choices, told)
        )

    def laid(self, token: str) -> Laid:
        """What came of a look; raises ``Missing`` once it is forgotten."""
        return self._jobs.result(token)

    def _laid(self, frames: list[Shown], choices: Choices, told: Tell) -> Laid:
        found = self._find(frames, choices.lens, told)
        enlarged = max(
            max(frame.width, frame.height) / max(one.width, one.height)
            for frame, one in zip(frames, found.frames, strict=True)
        )
        return lay(found, choices, most_pixels=self._most_pixels, enlarged=enlarged, told=told)

    def _find(self, frames: list[Shown], lens: bool, told: Tell) -> Found:
        """How frames lie; what was found last is held, so that other choices cost little."""
        key = (tuple((frame.original.sha256, frame.number) for frame in frames), lens)
        if self._found is not None and self._found[0] == key:
            return self._found[1]
        self._found = None  # the copies of many frames are large
        told("reading")
        copies = [
            Frame.of(
                f"Frame {frame.number}",
                ArrayPicture(self._proxies.read(frame.original, BENCH_SIDE)),
            )
            for frame in frames
        ]
        found = find(copies, lens=lens, told=told)
        self._found = (key, found)
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
