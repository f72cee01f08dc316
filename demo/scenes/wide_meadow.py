"""Wide meadow: the whole meet in one view that no single frame holds, and four frames of it.

The view is painted over longitude and latitude; frames are cut out of it by cameras that turn about
one point, each with a little more or less exposure, falloff toward its corners, bend of the lens
and noise, as if taken by hand. Needs numpy, OpenCV and Pillow only:

    python wide_meadow.py --out ..          # writes wide-meadow-1.jpg to wide-meadow-4.jpg
"""
from __future__ import annotations

import argparse
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np

#: Half of what is painted: radians to each side, up and down.
LON, LAT = np.radians(68.0), np.radians(24.0)

SUN = np.array([-0.62, -0.50, 0.60])  # x right, y down, z toward the camera
SUN = SUN / np.linalg.norm(SUN)


def encoded(linear):
    linear = np.asarray(linear, np.float32)
    high = 1.055 * np.maximum(linear, 0.0031308) ** np.float32(1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, 12.92 * linear, high).astype(np.float32)


def decoded(codes):
    codes = np.asarray(codes, np.float32)
    high = ((np.maximum(codes, 0) + 0.055) / 1.055) ** np.float32(2.4)
    return np.where(codes <= 0.04045, codes / 12.92, high).astype(np.float32)


def clouds(height, width, rng, low, high, gain=0.5, tall=1.0):
    """Fractal noise: octaves of random numbers, smoothly enlarged, each weaker than the last."""
    total, amount = np.zeros((height, width), np.float32), 1.0
    for octave in range(low, high):
        across = 2**octave
        if across > width:
            break
        up = max(2, int(tall * height * across / width) + 1)
        grain = rng.standard_normal((up, across + 1)).astype(np.float32)
        total += amount * cv2.resize(grain, (width, height), interpolation=cv2.INTER_CUBIC)
        amount *= gain
    return total


def over(picture, colour, share):
    """Lay a colour over the picture."""
    share = share[..., None] if share.ndim == picture.ndim - 1 else share
    picture += (np.asarray(colour, np.float32) - picture) * share


class Scene:
    """The view at so many pixels a radian, encoded float32 ``(H, W, 3)``."""

    def __init__(self, ppr, seed=7):
        self.ppr, self.rng = ppr, np.random.default_rng(seed)
        self.width, self.height = int(2 * LON * ppr), int(2 * LAT * ppr)
        self.lat = np.degrees(LAT) * np.linspace(1, -1, self.height, dtype=np.float32)[:, None]
        self.sky()
        self.hills()
        self.meadow()
        self.camp()
        self.balloons()
        self.fence()

    def at(self, lon, lat):
        """Pixel of a place in degrees."""
        return (np.radians(lon) + LON) * self.ppr, (LAT - np.radians(lat)) * self.ppr

    def size(self, degrees):
        return np.radians(degrees) * self.ppr

    def sky(self):
        up = np.clip(self.lat, 0, None)
        low, high = np.array([0.93, 0.84, 0.72]), np.array([0.30, 0.47, 0.76])
        share = (1 - np.exp(-up / 9.0))[..., None]
        aside = np.linspace(-1, 1, self.width, dtype=np.float32)[None, :, None]
        sky = low + (high - low) * share + np.array([0.05, 0.03, -0.02]) * np.exp(-((aside + 0.7) ** 2) * 3)
        self.picture = np.ascontiguousarray(np.broadcast_to(sky, (self.height, self.width, 3)), dtype=np.float32)
        wisps = clouds(self.height, self.width, self.rng, 3, 11, 0.58, tall=2.2)
        body = np.clip(wisps * 0.55 - 0.15, 0, 1) * np.clip((self.lat - 1.5) / 7, 0, 1)
        shade = clouds(self.height, self.width, self.rng, 4, 9, 0.5, tall=2.0)[..., None] * 0.03
        over(self.picture, np.array([0.97, 0.95, 0.93]) + shade - 0.10 * body[..., None], body * 0.9)

    def hills(self):
        texture = clouds(self.height, self.width, self.rng, 5, 13, 0.68)
        self.texture = texture
        far = [
            (3.2, 1.6, (0.60, 0.66, 0.74), 0.012, 11),
            (1.8, 1.3, (0.42, 0.52, 0.56), 0.022, 12),
            (0.4, 0.8, (0.26, 0.37, 0.27), 0.045, 13),
        ]
        for lat, tall, colour, rough, seed in far:
            ridge = clouds(1, self.width, np.random.default_rng(seed), 2, 11, 0.52)[0] * tall * 0.8 + lat
            share = 1 / (1 + np.exp(np.clip((self.lat - ridge[None]) * self.ppr / 57.3, -30, 30)))
            over(self.picture, np.array(colour) + texture[..., None] * rough * np.array([1, 0.9, 0.7]), share)

    def meadow(self):
        down = np.clip(-self.lat - 0.9, 0, None)
        near = clouds(self.height, self.width, self.rng, 7, 14, 0.8, tall=1.6)
        share = np.clip(down / 0.25, 0, 1)
        green = np.array([0.36, 0.45, 0.16]) + np.array([0.10, 0.05, 0.04]) * np.exp(-down / 4)[..., None]
        patches = clouds(self.height, self.width, self.rng, 3, 8, 0.6, tall=5.0)[..., None]
        ground = green + patches * np.array([0.045, 0.025, 0.015])
        ground = ground + near[..., None] * np.minimum(0.014 + 0.004 * down, 0.06)[..., None] * np.array([1, 1.1, 0.6])
        over(self.picture, np.clip(ground, 0.03, 0.95), np.broadcast_to(share, near.shape))
        # the trodden way
        centre = -18 + 30 * np.tanh((-self.lat - 1) / 16)
        lon = np.degrees(np.linspace(-LON, LON, self.width, dtype=np.float32))[None]
        way = np.exp(-(((lon - centre) / np.maximum(0.25 + 0.13 * down, 0.1)) ** 2)) * share
        over(self.picture, np.array([0.62, 0.55, 0.40]) + near[..., None] * 0.03, way * 0.8)

    def patch(self, lon, lat, wide, tall):
        """Part of the picture about a place, and its coordinates in degrees from there."""
        x, y = self.at(lon, lat)
        w, h = self.size(wide), self.size(tall)
        x0, x1 = max(0, int(x - w)), min(self.width, int(x + w) + 1)
        y0, y1 = max(0, int(y - h)), min(self.height, int(y + h) + 1)
        one = self.size(1.0)
        u = ((np.arange(x0, x1) - x) / one).astype(np.float32)[None]
        v = ((np.arange(y0, y1) - y) / one).astype(np.float32)[:, None]
        return self.picture[y0:y1, x0:x1], u, v

    def soft(self, distance):
        """Share of a pixel inside, from a distance in degrees."""
        return np.clip(0.5 - distance * self.size(1.0), 0, 1)

    def balloon(self, lon, lat, radius, colours, gores, turn=0.0, bands=False):
        part, u, v = self.patch(lon, lat, radius * 1.3, radius * 2.1)
        u, v = u / radius, v / radius
        # the envelope: round above, drawn in to its mouth below
        below = np.clip(v, 0, 1.45)
        half = np.where(v < 0, np.sqrt(np.maximum(1 - v * v, 0)), 0.16 + 0.84 * np.maximum(np.cos(below / 1.45 * np.pi / 2), 0) ** 0.85)
        half = np.where((v < -1) | (v > 1.45), 0, half)
        inside = self.soft((np.abs(u) - half) * radius * 0.8) * (half > 0)
        across = np.clip(u / np.maximum(half, 1e-3), -1, 1)
        around = np.arcsin(across) + turn
        number = np.floor(around / (2 * np.pi) * gores).astype(int) % gores
        if bands:
            number = number + np.floor((v + 1) * 3.2 + np.abs(np.modf(around / (2 * np.pi) * gores)[0] - 0.5) * 0.9).astype(int)
        paint = np.asarray(colours, np.float32)[number % len(colours)]
        seam = np.abs(np.modf(np.abs(around) / (2 * np.pi) * gores)[0])
        bulge = 0.92 + 0.08 * np.sin(seam * np.pi)
        normal_y = np.where(v < 0, v, 0.35 * v)
        facing = np.sqrt(np.maximum(1 - across**2, 0))
        lit = across * SUN[0] + normal_y * SUN[1] + facing * SUN[2] * np.sqrt(np.maximum(1 - np.minimum(np.abs(normal_y), 1) ** 2, 0.04))
        light = (0.42 + 0.72 * np.clip(lit, 0, 1)) * bulge
        cloth = decoded(paint) * light[..., None] + 0.02 * np.array([0.6, 0.8, 1.0])
        over(part, encoded(np.clip(cloth, 0, 1)), inside)
        # cords and basket
        for side in (-1, 1):
            line = np.abs(u - side * (0.16 - 0.06 * np.clip((v - 1.45) / 0.25, 0, 1))) * radius - 0.012 * radius
            over(part, (0.2, 0.16, 0.12), self.soft(line) * ((v > 1.42) & (v < 1.72)))
        box = np.maximum(np.abs(u) - 0.13, np.abs(v - 1.80) - 0.10) * radius
        weave = 0.85 + 0.15 * np.sin(u * 90) * np.sin(v * 90)
        over(part, np.array([0.45, 0.30, 0.16]) * weave[..., None], self.soft(box))

    def balloons(self):
        red, gold, cream = (0.80, 0.10, 0.10), (0.97, 0.76, 0.13), (0.95, 0.92, 0.84)
        blue, green, violet = (0.10, 0.26, 0.68), (0.09, 0.50, 0.26), (0.46, 0.18, 0.56)
        teal, orange, dark = (0.05, 0.56, 0.58), (0.93, 0.45, 0.08), (0.10, 0.11, 0.16)
        plan = [
            (-50, 9.5, 3.4, (red, cream), 16, 0.1, False), (-41, 13.5, 1.7, (teal, gold), 12, 0.3, True),
            (-33, 6.5, 2.5, (blue, gold), 14, 0.0, True), (-26, 15.5, 1.2, (violet, cream), 12, 0.0, False),
            (-19, 9.0, 4.3, (orange, gold, red), 18, 0.2, False), (-8, 4.6, 1.5, (green, cream), 12, 0.4, False),
            (-4, 14.0, 2.2, (dark, gold), 14, 0.0, True), (6, 8.2, 3.6, (green, gold), 16, 0.2, True),
            (14, 15.0, 1.5, (red, blue, cream), 15, 0.0, False), (19, 6.0, 2.3, (violet, orange), 14, 0.5, False),
            (28, 11.5, 3.9, (cream, blue), 18, 0.1, False), (37, 5.0, 1.6, (gold, red), 12, 0.3, True),
            (42, 13.0, 2.0, (teal, cream), 14, 0.0, False), (51, 8.0, 3.2, (red, violet, gold), 15, 0.1, False),
            (-57, 4.0, 1.1, (green, gold), 10, 0.0, False), (57, 15.0, 1.3, (orange, cream), 12, 0.2, True),
        ]
        for lon, lat, radius, colours, gores, turn, bands in sorted(plan, key=lambda one: one[2]):
            self.balloon(lon, lat, radius, colours, gores, turn, bands)

    def tent(self, lon, lat, wide, colours):
        part, u, v = self.patch(lon, lat, wide * 1.1, wide * 1.1)
        u, v = u / wide, v / wide
        roof = np.where((v > -0.75) & (v <= -0.15), (v + 0.75) * 1.45 * 0.95, 0)
        wall = (v > -0.15) & (v < 0.28)
        stripes = np.asarray(colours, np.float32)
        number = np.floor(u / np.maximum(roof, 1e-3) * 4.5 + 20).astype(int) % len(stripes)
        slope = (0.75 + 0.35 * (u < 0.1))[..., None]
        over(part, np.clip(stripes[number] * slope, 0, 1), self.soft((np.abs(u) - roof) * wide * 0.8) * (roof > 0))
        number = np.floor(u * 6 + 20).astype(int) % len(stripes)
        folds = (0.80 + 0.10 * np.sin(u * 40))[..., None]
        over(part, np.clip(stripes[np.broadcast_to(number, (len(v), u.shape[1]))] * folds, 0, 1), self.soft((np.abs(u) - 0.80) * wide) * wall)
        door = self.soft(np.maximum(np.abs(u) - 0.14, np.abs(v - 0.08) - 0.20) * wide)
        over(part, (0.12, 0.10, 0.09), door)

    def camp(self):
        rng = np.random.default_rng(21)
        red, cream, blue, green = (0.78, 0.16, 0.14), (0.95, 0.92, 0.84), (0.16, 0.32, 0.62), (0.14, 0.48, 0.32)
        gold, plum = (0.95, 0.74, 0.22), (0.45, 0.16, 0.36)
        plan = [(-47, -2.9, 2.6, (red, cream)), (-39, -2.2, 1.8, (blue, cream)), (-29, -3.6, 3.2, (green, gold)),
                (-12, -2.3, 1.9, (plum, cream)), (1, -3.2, 2.8, (cream, red)), (11, -2.2, 1.7, (gold, cream)),
                (23, -3.5, 3.1, (blue, gold)), (34, -2.4, 2.0, (cream, green)), (46, -3.0, 2.7, (red, gold))]
        for lon, lat, wide, colours in plan:
            self.tent(lon, lat, wide, colours)
        for _ in range(260):  # people
            lat = -rng.gamma(2.2, 1.2) - 1.6
            tall = 0.16 * (1 + (-lat) * 0.55)
            lon = rng.uniform(-62, 62)
            part, u, v = self.patch(lon, lat, tall, tall)
            shade = np.clip(0.8 + 0.3 * (u < 0), 0, 1.1)[..., None]
            coat = np.array(rng.uniform(0.12, 0.85, 3)) * np.array([1, 0.85, 0.8])
            over(part, (0.24, 0.30, 0.10), self.soft(np.hypot((u - 0.45 * tall) / 2.2, (v - 0.62 * tall) / 0.35) - 0.3 * tall) * 0.4)
            over(part, (0.15, 0.15, 0.2), self.soft(np.maximum(np.abs(u) - 0.13 * tall, np.abs(v - 0.42 * tall) - 0.26 * tall)))
            over(part, np.clip(coat * shade, 0, 1), self.soft(np.hypot(u / 0.75, v) - 0.28 * tall))
            over(part, np.clip(np.array([0.80, 0.62, 0.50]) * rng.uniform(0.5, 1.1), 0, 1), self.soft(np.hypot(u, v + 0.38 * tall) - 0.12 * tall))

    def fence(self):
        rng = np.random.default_rng(5)
        posts = np.arange(-63, 63.5, 2.6) + rng.uniform(-0.15, 0.15, 49)
        tops = -9.6 + 0.25 * np.sin(posts * 0.21)
        for wire in (0.25, 0.85):
            line = np.stack(self.at(posts, tops - wire), axis=-1)
            cv2.polylines(self.picture, [np.round(line * 16).astype(np.int32)], False, (0.22, 0.19, 0.16), max(1, int(self.size(0.05))), cv2.LINE_AA, 4)
        for lon, top in zip(posts, tops):
            part, u, v = self.patch(lon, top - 0.8, 0.3, 1.2)
            wood = np.array([0.40, 0.33, 0.26]) * (0.8 + 0.5 * (u < 0))[..., None] * (0.9 + 0.1 * np.sin(v * 60))[..., None]
            over(part, np.clip(wood, 0, 1), self.soft(np.maximum(np.abs(u) - 0.10, np.abs(v) - 0.95)))
        string = np.linspace(-63, 63, 460)  # pennants from post to post
        sag = tops.mean() - 0.05 - 0.45 * np.abs(np.sin((string + 63) / 2.6 * np.pi / 3))
        colours = [(0.85, 0.12, 0.12), (0.95, 0.78, 0.15), (0.12, 0.35, 0.72), (0.12, 0.55, 0.30), (0.93, 0.90, 0.82), (0.55, 0.20, 0.60)]
        for number, (lon, lat) in enumerate(zip(string, sag)):
            x, y = self.at(lon, lat)
            w, h = self.size(0.10), self.size(0.26)
            flag = np.array([[x - w, y], [x + w, y], [x + rng.uniform(-0.4, 0.4) * w, y + h]])
            cv2.fillPoly(self.picture, [np.round(flag * 16).astype(np.int32)], tuple(float(c) for c in colours[number % 6]), cv2.LINE_AA, 4)


def view(ppr, seed=7):
    """The view with a little texture everywhere, encoded float32 ``(H, W, 3)``.

    As soft as a lens draws it: detail that no pixel can hold would turn into false detail.
    """
    scene = Scene(ppr, seed)
    painted = np.clip(scene.picture + (scene.texture * 0.008)[..., None], 0.01, 0.99)
    return cv2.GaussianBlur(painted, (0, 0), 1.0)


@dataclass
class Shot:
    """How a frame is taken: focal length and size in pixels, degrees, and the lens's bend."""

    focal: float
    width: int
    height: int
    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0
    bend: float = 0.0
    rotation: np.ndarray = field(init=False)

    def __post_init__(self):
        a, b, c = np.radians([self.yaw, self.pitch, self.roll])
        aside = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
        up = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
        about = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
        self.rotation = aside @ up @ about

    @property
    def middle(self):
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])

    def rays(self, places):
        """Directions of pixels; the bend is of the polynomial model: bent = straight (1 + k r²)."""
        bent = (places - self.middle) / self.focal
        straight = bent.copy()
        for _ in range(8):
            straight = bent / (1 + self.bend * (straight**2).sum(-1, keepdims=True))
        return np.concatenate([straight, np.ones_like(straight[..., :1])], -1) @ self.rotation.T

    def places(self, rays):
        own = rays @ self.rotation
        straight = own[..., :2] / own[..., 2:]
        bent = straight * (1 + self.bend * (straight**2).sum(-1, keepdims=True))
        return np.where(own[..., 2:] > 0, bent * self.focal + self.middle, -1e6)


def take(painted, shot, ppr, stops=0.0, falloff=0.0, noise=0.0, seed=0, dtype=np.uint8, moved=None):
    """A frame as codes ``(h, w, 3)``.

    ``falloff`` is lost in the corner, in stops; ``noise`` the deviation at middle grey, linear;
    ``moved`` may change the light before it is exposed.
    """
    rng = np.random.default_rng(seed)
    out = np.empty((shot.height, shot.width, 3), dtype)
    height, width = painted.shape[:2]
    for top in range(0, shot.height, 500):
        rows = min(500, shot.height - top)
        grid = np.stack(np.meshgrid(np.arange(shot.width), np.arange(top, top + rows)), -1).astype(float)
        rays = shot.rays(grid.reshape(-1, 2))
        lon, lat = np.arctan2(rays[:, 0], rays[:, 2]), np.arctan2(-rays[:, 1], np.hypot(rays[:, 0], rays[:, 2]))
        x = ((lon + LON) * ppr - 0.5).astype(np.float32).reshape(rows, shot.width)
        y = ((LAT - lat) * ppr - 0.5).astype(np.float32).reshape(rows, shot.width)
        x0, x1 = max(0, int(x.min()) - 4), min(width, int(x.max()) + 5)
        y0, y1 = max(0, int(y.min()) - 4), min(height, int(y.max()) + 5)
        part = np.ascontiguousarray(painted[y0:y1, x0:x1])
        seen = cv2.remap(part, x - x0, y - y0, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
        light = decoded(seen if seen.dtype == np.float32 else seen.astype(np.float32) / 65535)
        if moved is not None:
            light = moved(light, lon.reshape(rows, -1), lat.reshape(rows, -1))
        ring = ((grid - shot.middle) ** 2).sum(-1)[..., None] / (shot.middle**2).sum()
        light = light * (2.0 ** (stops - falloff * (0.7 * ring + 0.3 * ring**2))).astype(np.float32)
        if noise:
            grain = rng.standard_normal(light.shape).astype(np.float32)
            light = light + noise * np.sqrt(np.maximum(light, 0.004) / 0.18) * grain
        top_code = np.iinfo(dtype).max
        out[top : top + rows] = np.floor(encoded(np.clip(light, 0, 1)) * top_code + 0.5)
    return out


#: How the demo's four frames were taken: degrees aside, up and about, and stops.
TAKEN = [(-38.0, 0.6, 0.5, 0.05), (-12.5, -0.4, -0.6, -0.22), (12.0, 0.3, 0.3, 0.14), (37.5, -0.7, -0.2, -0.05)]


def frames(width, height, ppr, painted, dtype=np.uint8):
    """The demo's four frames at any size."""
    focal = 0.98 * width
    for number, (yaw, pitch, roll, stops) in enumerate(TAKEN):
        shot = Shot(focal, width, height, yaw, pitch, roll, -0.03)
        yield shot, take(painted, shot, ppr, stops, 0.45, 0.006, number, dtype)


if __name__ == "__main__":
    from PIL import ExifTags, Image

    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--out", type=Path, default=Path(__file__).parents[1])
    parser.add_argument("--width", type=int, default=1500)
    options = parser.parse_args()
    ppr = 1.25 * options.width
    painted = view(ppr)
    for number, (_, codes) in enumerate(frames(options.width, round(options.width / 1.5), ppr, painted), 1):
        picture = Image.fromarray(codes)
        exif = picture.getexif()
        exif[ExifTags.Base.ImageDescription] = f"Wide meadow {number}"
        exif[ExifTags.Base.DateTime] = f"2026:06:20 06:4{number}:00"
        exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.DateTimeOriginal] = f"2026:06:20 06:4{number}:00"
        picture.save(options.out / f"wide-meadow-{number}.jpg", quality=92, exif=exif)
        print(f"wide-meadow-{number}.jpg", codes.shape, flush=True)
