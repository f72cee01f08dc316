"""How well frames are joined, against a view that is known, and what it costs.

The view and its frames are painted by ``demo/scenes/wide_meadow.py``, so that every pixel's true
place and light are known. Run with
``.venv/bin/python benchmarks/join.py [places|light|moved|grid|strangers|large]``; nothing here
judges, it prints.
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import cv2
import numba
import numpy as np
from frames import DEMO

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness, luminance
from oatmeal.core.join import Choices, Frame, JoinError, Laid, find, lay
from oatmeal.core.join.joining import Found
from oatmeal.core.picture import ArrayPicture

sys.path.insert(0, str(DEMO / "scenes"))
import wide_meadow as wide  # type: ignore[import-not-found]

SIZE = (1500, 1000)
PPR = 1.25 * SIZE[0]

#: Deviation at middle grey, linear: one frame alone has 37.9 dB then.
NOISE = 0.0102


def frame(name: str, codes: np.ndarray) -> Frame:
    light = decode_srgb(np.arange(np.iinfo(codes.dtype).max + 1) / np.iinfo(codes.dtype).max)
    return Frame.of(name, ArrayPicture(light.astype(np.float32)[codes]))


def off_places(found: Found, shots: list[wide.Shot], first: int = 0) -> tuple[float, float]:
    """Pixels (rms, 95th percentile) by which places that two frames share are off.

    A pixel of one frame is led to the other by the true cameras and by the found ones.
    """
    off = []
    for i, j in found.links:
        a, b = shots[first + i], shots[first + j]
        grid = np.stack(
            np.meshgrid(np.linspace(8, a.width - 9, 60), np.linspace(8, a.height - 9, 40)), axis=-1
        ).reshape(-1, 2)
        true = b.places(a.rays(grid))
        inside = ((true > 4) & (true < [b.width - 5, b.height - 5])).all(axis=1)
        own = found.cameras[j].places(found.cameras[i].rays(grid[inside]))
        off.append(np.hypot(*(own - true[inside]).T))
    every = np.concatenate(off)
    return float(np.sqrt((every**2).mean())), float(np.percentile(every, 95))


def true_light(laid: Laid, shots: list[wide.Shot], painted: np.ndarray) -> np.ndarray:
    """The view itself on the joined picture's pixels, each seen as its own frame saw it.

    What the whole is stretched by, which no eye sees, is not counted; how frames fit is a measure
    of its own.
    """
    canvas = laid.canvas
    labels = cv2.resize(laid.labels, (canvas.width, canvas.height), interpolation=cv2.INTER_NEAREST)
    out = np.zeros((canvas.height, canvas.width, 3), dtype=np.float32)
    for top in range(0, canvas.height, 256):
        rows = min(256, canvas.height - top)
        grid = np.stack(
            np.meshgrid(np.arange(canvas.width), np.arange(top, top + rows)), axis=-1
        ).astype(float)
        for k, camera in laid.cameras.items():
            own = labels[top : top + rows] == k
            rays = shots[k].rays(camera.places(canvas.rays(grid[own])))
            lon = np.arctan2(rays[..., 0], rays[..., 2])
            lat = np.arctan2(-rays[..., 1], np.hypot(rays[..., 0], rays[..., 2]))
            x = ((lon + wide.LON) * PPR - 0.5).astype(np.float32)[None]
            y = ((wide.LAT - lat) * PPR - 0.5).astype(np.float32)[None]
            parts = [
                cv2.remap(painted, x[:, n : n + 30000], y[:, n : n + 30000], cv2.INTER_CUBIC)
                for n in range(0, x.shape[1], 30000)
            ]
            if parts:
                out[top : top + rows][own] = wide.decoded(np.concatenate(parts, axis=1)[0])
    return out


def joined(laid: Laid) -> np.ndarray:
    codes = np.concatenate(list(laid.strips()))
    return decode_srgb(codes / 65535).astype(np.float32)


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    """On encoded values, without a margin."""
    a, b = (encode_srgb(np.clip(x[20:-20, 20:-20], 0, 1)) for x in (one, other))
    return float(10 * np.log10(1 / np.mean((a - b) ** 2)))


def seam_step(picture: np.ndarray, truth: np.ndarray, laid: Laid) -> tuple[float, float]:
    """L* by which the error jumps over seams, and over lines like them elsewhere (medians).

    Over 8 pixels on each side, as an eye would see an edge.
    """
    error = (lightness(luminance(picture)) - lightness(luminance(truth))).astype(np.float32)
    error = cv2.blur(error, (7, 7))
    labels = cv2.resize(
        laid.labels, (picture.shape[1], picture.shape[0]), interpolation=cv2.INTER_NEAREST
    )
    step = np.abs(error[:, 12:] - error[:, :-12])
    seam = labels[:, 12:] != labels[:, :-12]
    near = cv2.dilate(seam.astype(np.uint8), np.ones((1, 161))) > 0
    inside = np.zeros_like(seam)
    inside[40:-40, 40:-40] = True
    return float(step[seam & inside].mean()), float(step[~near & inside].mean())


def shots_and_frames(
    size: tuple[int, int], ppr: float, painted: np.ndarray, moved: object = None
) -> tuple[list[wide.Shot], list[np.ndarray]]:
    shots, codes = [], []
    for n, (yaw, pitch, roll, stops) in enumerate(wide.TAKEN):
        shot = wide.Shot(0.98 * size[0], *size, yaw, pitch, roll, -0.03)
        own = moved(n) if callable(moved) else None
        shots.append(shot)
        codes.append(wide.take(painted, shot, ppr, stops, 0.45, NOISE, n, np.uint8, own))
    return shots, codes


def places() -> None:
    painted = wide.view(PPR)
    shots, codes = shots_and_frames(SIZE, PPR, painted)
    frames = [frame(f"{n + 1:02d}", one) for n, one in enumerate(codes)]
    for words, options in (("", {}), ("without the lens's bend", {"lens": False})):
        found = find(frames, **options)
        rms, p95 = off_places(found, shots)
        print(f"four views, 1500 px {words}: off {rms:.3f} px rms, {p95:.3f} at 95 %")
    found = find(frames, fine=False)
    print(f"  without patches at full size: {off_places(found, shots)[0]:.3f} px")


def own_noise(clean: np.ndarray, noisy: np.ndarray) -> float:
    return float(10 * np.log10(255**2 / np.mean((clean - noisy.astype(float)) ** 2)))


def light() -> None:
    painted = wide.view(PPR)
    shots, codes = shots_and_frames(SIZE, PPR, painted)
    laid = lay(find([frame(f"{n + 1:02d}", one) for n, one in enumerate(codes)]), Choices())
    stops = np.array([stops for *_, stops in wide.TAKEN])
    own = -np.array([laid.light.stops[k] for k in range(4)])
    print(f"gains off by {np.abs((own - own.mean()) - (stops - stops.mean())).max():.4f} stops")
    truth = true_light(laid, shots, painted)
    picture = joined(laid)
    level = np.maximum(luminance(truth), 1e-6) / np.maximum(luminance(picture), 1e-6)
    even = picture * np.median(level).astype(np.float32)
    print(f"PSNR to the truth {psnr(even, truth):.1f} dB; ", end="")
    clean = wide.take(painted, shots[1], PPR, 0.0, 0.0, 0.0)
    noisy = wide.take(painted, shots[1], PPR, 0.0, 0.0, NOISE, 1)
    print(f"one frame's own noise {own_noise(clean, noisy):.1f} dB")
    seam, elsewhere = seam_step(even, truth, laid)
    print(f"step over seams {seam:.3f} L*, elsewhere {elsewhere:.3f}: {seam / elsewhere:.2f} x")
    for border in ("crop", "bend", "keep"):
        one = lay(laid.found, Choices(border=border))
        print(f"{border}: {one.canvas.width} x {one.canvas.height}, {one.projection}")


def drifting(n: int):  # type: ignore[no-untyped-def]
    """Light that drifts over the view from frame to frame, and walkers that walk."""

    def change(light: np.ndarray, lon: np.ndarray, lat: np.ndarray) -> np.ndarray:
        cloud = 0.12 * np.sin(lon * 2.1 + 0.9 * n) + 0.06 * n * np.cos(lat * 5 + n)
        light = light * (2.0**cloud)[..., None].astype(np.float32)
        for k in range(30):
            at = np.radians(-55 + 3.8 * k + 1.1 * n * (1 if k % 2 else -1))
            low = np.radians(-4.5 - (k % 5))
            there = ((lon - at) / 0.006) ** 2 + ((lat - low) / 0.018) ** 2 < 1
            light[there] = (0.05, 0.03, 0.04 + 0.02 * (k % 7))
        return light

    return change


def moved() -> None:
    painted = wide.view(PPR)
    shots, codes = shots_and_frames(SIZE, PPR, painted, drifting)
    laid = lay(find([frame(f"{n + 1:02d}", one) for n, one in enumerate(codes)]), Choices())
    picture = joined(laid)
    # there is no one truth: steps of the picture itself, over what the truth steps
    truth = true_light(laid, shots, painted)
    seam, elsewhere = seam_step(picture, truth, laid)
    print(
        f"drifting light and walkers: step {seam:.3f} L*, elsewhere {elsewhere:.3f}: "
        f"{seam / elsewhere:.2f} x"
    )


def grid() -> None:
    painted = wide.view(PPR)
    shots, codes = [], []
    for row in range(3):
        for column in range(4):
            shot = wide.Shot(2100, 1050, 700, -30 + 20 * column, 11 - 11 * row, 0.4 * row, -0.03)
            shots.append(shot)
            codes.append(
                wide.take(
                    painted, shot, PPR, 0.2 * ((row + column) % 2), 0.3, NOISE, row * 4 + column
                )
            )
    order = np.random.default_rng(3).permutation(12)
    begun = time.process_time()
    found = find([frame(f"{n + 1:02d}", codes[n]) for n in order])
    rms, p95 = off_places(found, [shots[n] for n in order])
    print(
        f"shuffled 4x3: {len(found.cameras)} placed, off {rms:.3f} px rms, {p95:.3f}; "
        f"{time.process_time() - begun:.1f} s"
    )
    laid = lay(found, Choices())
    print(f"  {laid.projection}, {laid.canvas.width} x {laid.canvas.height}")


def strangers() -> None:
    painted = wide.view(PPR)
    _, codes = shots_and_frames(SIZE, PPR, painted)
    for name in ("bunting", "night-burner"):
        codes.insert(1, cv2.imread(str(DEMO / f"{name}.jpg"))[..., ::-1])
    found = find([frame(f"{n + 1:02d}", np.ascontiguousarray(one)) for n, one in enumerate(codes)])
    print(*found.notes, sep="\n")
    same = [
        wide.take(painted, wide.Shot(1470, *SIZE), PPR, stops, 0.4, NOISE, n)
        for n, stops in enumerate((-1, 0, 0.5))
    ]
    for words, some in (
        ("one view three times", same),
        ("strangers", [cv2.imread(str(DEMO / f"{n}.jpg")) for n in ("bunting", "night-burner")]),
    ):
        try:
            find([frame(f"{n + 1:02d}", np.ascontiguousarray(one)) for n, one in enumerate(some)])
            print(words, "joined?")
        except JoinError as error:
            print(f"{words}: {error}")


def large() -> None:
    """24 megapixels; the frames are painted in a process of their own, which needs 12 GB."""
    from oatmeal.exports.join import join_files

    numba.set_num_threads(1)  # as in the process that makes joins
    cv2.setNumThreads(1)
    size = (6000, 4000)
    shots = [wide.Shot(0.98 * size[0], *size, *turns, -0.03) for *turns, _ in wide.TAKEN]
    with tempfile.TemporaryDirectory() as made_in:
        folder = Path(sys.argv[2]) if len(sys.argv) > 2 else Path(made_in)
        names = [folder / f"{n + 1:02d}.jpg" for n in range(len(shots))]
        if not names[0].exists():
            with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
                pool.submit(paint, folder).result()
        join_files(names[:2], folder / "out.tif", Choices())  # compiled
        begun = time.process_time()
        for name in names:
            cv2.imread(str(name))
        decoding = time.process_time() - begun
        before = time.process_time(), time.perf_counter()
        made = join_files(names, folder / "out.tif", Choices(border="keep"))
        spent, took = time.process_time() - before[0], time.perf_counter() - before[1]
        most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        rms, p95 = off_places(made.laid.found, shots)
        print(f"4 x 24 MP to {made.width} x {made.height}: off {rms:.3f} px rms, {p95:.3f} at 95 %")
        print(f"  {spent / decoding:.1f} x decoding ({decoding:.2f} s), {took:.1f} s on the wall")
        print(f"  at most {most:.2f} GB, {made.bytes / 1e6:.0f} MB written")


def paint(folder: Path) -> None:
    size = (6000, 4000)
    ppr = 1.25 * size[0]
    painted = np.rint(wide.view(ppr) * 65535).astype(np.uint16)
    for n, (yaw, pitch, roll, stops) in enumerate(wide.TAKEN):
        shot = wide.Shot(0.98 * size[0], *size, yaw, pitch, roll, -0.03)
        codes = wide.take(painted, shot, ppr, stops, 0.45, NOISE, n)
        to = str(folder / f"{n + 1:02d}.jpg")
        cv2.imwrite(to, codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 95])


if __name__ == "__main__":
    cv2.setNumThreads(2)
    chosen = sys.argv[1] if len(sys.argv) > 1 else ""
    for part in (places, light, moved, grid, strangers, large):
        if chosen in ("", part.__name__):
            part()
