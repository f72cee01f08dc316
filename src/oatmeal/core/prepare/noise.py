"""Noise taken away from the colour picture, before anything amplifies it.

The variance is made even, the channels are turned to a plane of light and two of colour, and each
is cleaned by a sliding cosine transform whose small terms are dropped.

References
----------
M. Mäkitalo and A. Foi, "Optimal Inversion of the Generalized Anscombe Transformation for
Poisson-Gaussian Noise", IEEE TIP 22 (2013).
G. Yu and G. Sapiro, "DCT Image Denoising: a Simple and Effective Image Denoising Algorithm", Image
Processing On Line 1 (2011).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS, lightness
from oatmeal.core.noise import SIDE, Noise
from oatmeal.core.prepare import noise_kernels as kernels
from oatmeal.core.recipe import NoiseTaken
from oatmeal.core.stages import Place

Colour = NDArray[np.float32]

#: Terms below so many deviations are dropped: of light, and of both colours.
THRESHOLDS: Final = (2.6, 2.8, 2.8)

#: Pixels round one that its cleaned value depends on; parts begin on the blocks' rows.
MARGIN: Final = SIDE
GRID: Final = kernels.STEP

#: Deviation in L* that may stay: nobody sees it in a print.
UNSEEN: Final = 0.6

#: Light at which noise is judged: dark, middle and light tones.
JUDGED: Final = (0.03, 0.18, 0.5)

#: Needed amounts are told in steps of this.
_ROUNDED: Final = 5

#: Variance below which there is nothing to take away.
_LEAST: Final = 1e-10


@dataclass(frozen=True)
class Cleaned:
    """Planes without noise, and the noise that they were made for."""

    planes: NDArray[np.float32]
    noise: Noise


def cleaned(rgb_linear: Colour, place: Place, settings: NoiseTaken) -> Cleaned | None:
    """Planes of a picture without its noise; None where it has none.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
    place : Place
        Of a reduced picture: reducing has taken its part of the noise already.
    """
    if not place.picture.scale:
        return None  # a sample of colours
    noise = place.picture.noise().reduced(place.picture.scale).scaled(settings.level / 100)
    if max(*noise.gain, *noise.floor) < _LEAST:
        return None
    planes = kernels.evened(rgb_linear, noise)
    thresholds = noise.deviations() * np.array(THRESHOLDS)[:, None, None]
    clean = np.empty((3, *rgb_linear.shape[:2]), dtype=np.float32)
    for plane, above, result in zip(planes, thresholds.astype(np.float32), clean, strict=True):
        kernels.cleaned(plane, above, result)
    return Cleaned(clean, noise)


def denoised(rgb_linear: Colour, clean: Cleaned | None, settings: NoiseTaken) -> Colour:
    """Linear colour ``(H, W, 3)`` with the noise taken away as far as the settings say."""
    if clean is None:
        return rgb_linear
    light, colour = settings.light / 100, settings.colour / 100
    return kernels.taken(rgb_linear, clean.planes, clean.noise, light, colour)


def needed(noise: Noise) -> NoiseTaken:
    """How much a picture seems to need: so that no grey made of it shows noise.

    The light is judged by its plain grey, the colour by the red and the blue channel alone, which
    lens filters come near to.
    """
    plain: tuple[float, float, float] = LUMINANCE_WEIGHTS
    light = max(_seen(noise, plain, at) for at in JUDGED)
    one = max(_seen(noise, weights, at) for weights in ((1, 0, 0), (0, 0, 1)) for at in JUDGED)
    return NoiseTaken(light=_share(light), colour=_share(one))


def _seen(noise: Noise, weights: tuple[float, float, float], light: float) -> float:
    """Deviation in L* of a grey that is mixed so."""
    off = noise.deviation(light, weights)
    return float((lightness(light + off) - lightness(max(light - off, 0.0))) / 2)


def _share(seen: float) -> float:
    share = 1 - UNSEEN / max(seen, UNSEEN)
    return float(min(100, _ROUNDED * np.ceil(100 * share / _ROUNDED)))
