"""Pictures of every kind, damaged: taken in or refused with a sentence; nothing is left behind."""

import io

import numpy as np
import pillow_heif
import pytest
import pyvips
import tifffile
from PIL import Image
from samples import codes, write_dng

from oatmeal.core.colour import decode_srgb

LIMIT_S = 90

pytestmark = pytest.mark.fuzz

PICTURE = codes(48, 72, seed=6)


def kinds(folder):
    """Whole files of every kind."""
    image = pyvips.Image.new_from_array(PICTURE).copy(interpretation="srgb")
    found = {}
    for suffix in (".jpg", ".png", ".webp", ".avif", ".gif", ".tif"):
        path = folder / f"a{suffix}"
        image.write_to_file(str(path))
        found[suffix] = path.read_bytes()
    for name, more in {
        "tiles.tif": {"tile": (16, 16), "compression": "lzw"},
        "planes.tif": {"tile": (16, 16), "planarconfig": "separate"},
        "lzma.tif": {"compression": "lzma"}, "zip.tif": {"compression": "zlib"},
        "lab.tif": {"photometric": "cielab"},
    }.items():  # fmt: skip
        pixels = np.moveaxis(PICTURE, -1, 0) if "planarconfig" in more else PICTURE
        tifffile.imwrite(folder / name, pixels, **{"photometric": "rgb"} | more)
        found[name] = (folder / name).read_bytes()
    pillow_heif.from_pillow(Image.fromarray(PICTURE)).save(str(folder / "a.heic"))
    found[".heic"] = (folder / "a.heic").read_bytes()
    light = decode_srgb(PICTURE / 255).clip(0, 1)
    found[".dng"] = write_dng(folder / "a.dng", light).read_bytes()
    exif = Image.Exif()
    exif[274], exif[270] = 6, "First\tlift\n\x1b[31m"
    buffer = io.BytesIO()
    Image.fromarray(PICTURE).save(buffer, "JPEG", exif=exif)
    found["turned.jpg"] = buffer.getvalue()
    return found


def mutated(random, data, other):
    """One of several ways to damage a file."""
    data = bytearray(data)
    way = random.randrange(6)
    begin = random.randrange(len(data))
    length = random.randint(1, 64)
    if way == 0:  # single bits, mostly where the headers are
        for _ in range(random.randint(1, 12)):
            place = random.randrange(min(len(data), 600) if random.random() < 0.6 else len(data))
            data[place] ^= 1 << random.randrange(8)
    elif way == 1:
        del data[begin:]
    elif way == 2:
        data[begin : begin + length] = bytes(len(data[begin : begin + length]))
    elif way == 3:
        data[begin:begin] = random.randbytes(length)
    elif way == 4:
        data[begin:] = other[begin:]
    else:  # numbers of the headers
        place = random.randrange(min(len(data) - 4, 600))
        data[place : place + 4] = random.choice(
            (b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\x80\0\0\0", b"\0\0\xff\xff")
        )
    return bytes(data)


def test_pictures(web, store, tmp_path, fuzz):
    whole = kinds(tmp_path)
    series = web.series()
    while fuzz.goes_on():
        if fuzz.count["files"] % 100 == 99:
            series = web.series()
        name = fuzz.random.choice(list(whole))
        other = whole[fuzz.random.choice(list(whole))]
        content = mutated(fuzz.random, whole[name], other)
        file_name = f"frame{fuzz.count['files']}{name if name[0] == '.' else '-' + name}"
        (tmp_path / "last").write_bytes(content)
        reply = fuzz.timed(LIMIT_S, web.upload, series, file_name, content)
        fuzz.count["files"] += 1
        said = (reply.status_code, reply.data[:300], name)
        assert reply.status_code in (200, 413, 422), said
        assert list(store.incoming.iterdir()) == [], said
        if reply.status_code == 200:
            fuzz.count["taken in"] += 1
            look(web, fuzz, reply.json["id"], said)
        else:
            fuzz.count["refused"] += 1
            assert file_name in reply.json["detail"], said
            assert reply.json["detail"].endswith("."), said


def look(web, fuzz, number, said):
    """What was taken in can be seen and worked on."""
    small = fuzz.timed(LIMIT_S, web.client.get, f"/pictures/{number}.jpg")
    assert small.status_code == 200, said
    assert small.data.startswith(b"\xff\xd8"), said
    wish = {"recipe": {"tone": {"clarity": 40}}, "side": 200}
    frame = fuzz.timed(LIMIT_S, web.send, "POST", f"/api/photographs/{number}/frame", wish)
    assert frame.status_code == 200, (said, frame.data[:300])
    for tool in ("balance", "starts", "points"):
        found = web.send("POST", f"/api/photographs/{number}/{tool}", {"recipe": {}})
        assert found.status_code == 200, (said, tool, found.data[:300])
