"""The whole join: frames are found once; laying them again with other choices costs little."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.join import links as linking
from oatmeal.core.join.blending import blended
from oatmeal.core.join.bordering import bordered
from oatmeal.core.join.cameras import (
    Cameras,
    Fit,
    adjusted,
    agreeing,
    first_cameras,
    refined,
)
from oatmeal.core.join.canvas import Canvas, chosen, extent, laid, levelled, turning
from oatmeal.core.join.choices import Choices
from oatmeal.core.join.composing import Composer
from oatmeal.core.join.frames import Colour, Frame, JoinError, Told
from oatmeal.core.join.lighting import Light, coarse, evened
from oatmeal.core.join.seams import Labels, deepest, seams

MOST_FRAMES: Final = 12

#: Megapixels beyond which a joined picture is made smaller.
MOST_PIXELS: Final = 300_000_000

#: Pixels of the small copies by which matches are off where the camera moved.
_MOVED_PX: Final = 0.6

#: Pixels of the small copies by which a link may be off before it is taken for a false one: after
#: the strongest links alone laid the frames out, and after all together did.
_AGREE_PX: Final = (40.0, 5.0)

MOVED: Final = "The camera moved; near things may show twice."
NO_DETAIL: Final = "Too little detail to find where these frames meet: {}."
SAME_VIEW: Final = "These are the same view in different exposures, not a panorama: {}."


@dataclass(frozen=True, eq=False)
class Found:
    """How frames lie to each other.

    Attributes
    ----------
    frames : list of Frame
        All that were given.
    cameras : dict of int to Camera
        Of those that belong together, levelled.
    left_out : list of int
    fit : Fit
    links : dict
        The pairs that hold.
    notes : list of str
        What the photographer should know.
    """

    frames: Sequence[Frame]
    cameras: Cameras
    left_out: list[int]
    fit: Fit
    links: linking.Links
    notes: list[str]


def find(
    frames: Sequence[Frame], *, lens: bool = True, fine: bool = True, told: Told = lambda step: None
) -> Found:
    """Find how frames lie to each other.

    Parameters
    ----------
    lens : bool
        Find the lens's bend as well.
    fine : bool
        Make matches finer at full size.
    told : callable
        Told the step that begins: finding, matching, fitting.

    Raises
    ------
    JoinError
        Where they cannot be joined.
    """
    if not 2 <= len(frames) <= MOST_FRAMES:
        raise JoinError(f"Select 2 to {MOST_FRAMES} frames that overlap.")
    told("finding")
    seen = [linking.features(frame) for frame in frames]
    told("matching")
    pairs = linking.links(frames, seen)
    group = linking.groups(len(frames), pairs)[0]
    if len(group) < 2:
        raise JoinError(NO_DETAIL.format(_named(frames)))
    inside = {pair: link for pair, link in pairs.items() if pair[0] in group}
    if min(link.overlap for link in inside.values()) >= linking.SAME_VIEW:
        raise JoinError(SAME_VIEW.format(_named([frames[k] for k in group])))
    told("fitting")
    cameras = first_cameras(frames, inside, group)
    strongest = {pair: inside[pair] for pair in linking.tree(inside)}
    cameras, _ = adjusted(frames, strongest, cameras, lens=lens)
    for most_px in _AGREE_PX:
        inside = agreeing(frames, inside, cameras, most_px)
        group = linking.groups(len(frames), inside)[0]
        if len(group) < 2:
            raise JoinError(NO_DETAIL.format(_named(frames)))
        cameras, fit = adjusted(frames, inside, {k: cameras[k] for k in group}, lens=lens)
    moved = fit.rms > _MOVED_PX
    if fine and not moved:
        finer = refined(frames, cameras, inside)
        if len(linking.tree(finer)) == len(group) - 1:
            cameras, fit = adjusted(frames, finer, cameras, lens=lens)
            inside = finer
    left_out = [k for k in range(len(frames)) if k not in group]
    notes = [
        f"{frames[k].name} shares too little with the others; it is left out." for k in left_out
    ]
    if moved:
        notes.append(MOVED)
    return Found(frames, levelled(cameras), left_out, fit, inside, notes)


def _named(frames: Sequence[Frame]) -> str:
    names = [frame.name for frame in frames]
    return f"{', '.join(names[:-1])} and {names[-1]}"


@dataclass(frozen=True, eq=False)
class Laid:
    """Frames laid out as chosen, lit evenly, their seams found: ready to be composed.

    Attributes
    ----------
    picture : float32 (h, w, 3)
        The joined picture, coarse, in linear light; 0 where no frame is.
    size : tuple of int
        Width and height that the joined picture of the originals has.
    """

    found: Found
    choices: Choices
    cameras: Cameras
    canvas: Canvas
    light: Light
    labels: Labels
    picture: Colour
    corrections: dict[int, Colour]
    size: tuple[int, int]
    notes: list[str]

    @property
    def projection(self) -> str:
        """The surface's name."""
        return self.canvas.surface.name

    @property
    def extent(self) -> tuple[float, float]:
        """Degrees across and up."""
        return extent(self.cameras)

    def levelling(self, line: tuple[float, float, float, float]) -> float:
        """Degrees of roll that bring two places, ``x, y, x, y`` in shares, to one height."""
        size = np.array([self.canvas.width, self.canvas.height])
        places = np.array(line).reshape(2, 2) * size - 0.5
        rays = self.canvas.rays(places)
        rays = rays / np.linalg.norm(rays, axis=1, keepdims=True)
        across, down = rays[1, :2] - rays[0, :2]
        if abs(across) < 1e-6:
            return self.choices.roll
        turned = self.choices.roll - float(np.degrees(np.arctan(down / across)))
        return float(np.clip(turned, -90, 90))

    def strips(self, wide: bool = False) -> Iterator[NDArray[np.uint16]]:
        """The joined picture's codes; see :class:`Composer`."""
        composer = Composer(
            self.found.frames, self.cameras, self.canvas, self.light, self.labels,
            self.corrections, wide,
        )  # fmt: skip
        return composer.strips()


def lay(
    found: Found,
    choices: Choices,
    *,
    most_pixels: int = MOST_PIXELS,
    enlarged: float = 1.0,
    told: Told = lambda step: None,
) -> Laid:
    """Lay frames out as chosen.

    Parameters
    ----------
    most_pixels : int
        The joined picture is made smaller where it would have more.
    enlarged : float
        Pixels of the originals for one of the frames, where these are copies: what is said of sizes
        is said of the originals.
    told : callable
        Told the step that begins: laying, light, seams.
    """
    told("laying")
    turn = turning(choices.yaw, choices.pitch, choices.roll)
    cameras = {k: camera.turned(turn) for k, camera in found.cameras.items()}
    surface = chosen(cameras, choices.projection)
    notes = list(found.notes)
    if choices.projection not in ("auto", surface.name):
        notes.append(f"The view is too wide for a {choices.projection}: a {surface.name} is used.")
    whole = laid(cameras, surface, 1 << 40)
    canvas = laid(cameras, surface, round(most_pixels / enlarged**2))

    def look(part: Canvas) -> Colour:
        copies = coarse(found.frames, cameras, part)
        light = evened(copies, choices.even_light)
        return np.square(np.maximum(blended(copies, deepest(copies), light)[0], 0))

    canvas = bordered(canvas, cameras, choices.border, look)
    told("light")
    share = whole.scale / canvas.scale
    size = round(canvas.width * enlarged), round(canvas.height * enlarged)
    if share > 1.0001:
        notes.append(
            f"It would have {size[0] * size[1] * share**2 / 1e6:.0f} megapixels: it is made "
            f"smaller, {size[0]} x {size[1]}."
        )
    picture, corrections, light, labels = _joined(
        found.frames, cameras, canvas, choices, lambda: told("seams")
    )
    return Laid(found, choices, cameras, canvas, light, labels, picture, corrections, size, notes)


def _joined(
    frames: Sequence[Frame],
    cameras: Cameras,
    canvas: Canvas,
    choices: Choices,
    told: Callable[[], None] = lambda: None,
) -> tuple[Colour, dict[int, Colour], Light, Labels]:
    copies = coarse(frames, cameras, canvas)
    light = evened(copies, choices.even_light)
    told()
    labels = seams(copies, light)
    low, corrections = blended(copies, labels, light)
    picture = np.where((labels >= 0)[..., None], np.square(np.maximum(low, 0)), 0)
    return picture.astype(np.float32), corrections, light, labels
