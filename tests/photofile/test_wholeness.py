"""Files of which a part is missing: surely so is refused, maybe so is taken with a note."""

import struct
from pathlib import Path

import numpy as np
import pillow_heif
import pytest
import sklearn
import tifffile
from PIL import Image
from samples import DEMO, codes, write_dng

from oatmeal import cli
from oatmeal.photofile import wholeness
from oatmeal.photofile.decode import decode
from oatmeal.photofile.errors import Damaged

#: Real photographs that a package carries (scikit-learn's sample images).
PHOTOGRAPHS = Path(sklearn.__file__).parent / "datasets" / "images"

LINEAR = np.linspace(0.05, 0.9, 120 * 180 * 3).reshape(120, 180, 3)


def test_no_whole_photograph_is_warned_of():
    for name in ("china.jpg", "flower.jpg"):
        assert decode(PHOTOGRAPHS / name, careful=True).notes == []


def holed(data, begin, count):
    return data[:begin] + data[begin + count :]


def zeroed(data, begin, count):
    return data[:begin] + bytes(count) + data[begin + count :]


#: What may happen to a file on its way, as in an audit of files that were taken without a word.
HURT = {
    "a hole": lambda data: holed(data, len(data) // 2, 4096),
    "a hole near the end": lambda data: holed(data, len(data) * 9 // 10, 2000),
    "a sector of zeros": lambda data: zeroed(data, len(data) // 2, 512),
    "eight sectors of zeros": lambda data: zeroed(data, len(data) // 2, 4096),
    "an end after half": lambda data: data[: len(data) // 2] + b"\xff\xd9",
    "an end in the middle": lambda data: (
        data[: len(data) // 2] + b"\xff\xd9" + data[len(data) // 2 :]
    ),
}


@pytest.mark.parametrize("what", HURT)
@pytest.mark.parametrize("name", ["china.jpg", "flower.jpg"])
def test_a_jpeg_that_may_be_damaged_is_taken_with_a_note(tmp_path, name, what):
    path = tmp_path / name
    path.write_bytes(HURT[what]((PHOTOGRAPHS / name).read_bytes()))
    assert decode(path, careful=True).notes == ["The file warns of damage: look at its lower half."]


def test_the_command_says_so_and_converts_it(tmp_path, capfd):
    path = tmp_path / "china.jpg"
    path.write_bytes(HURT["a hole"]((PHOTOGRAPHS / "china.jpg").read_bytes()))
    for names in ([str(path)], [str(path), str(PHOTOGRAPHS / "flower.jpg")]):
        assert cli.main(["convert", *names, "--out", f"{tmp_path}/out/"]) == 0
        said = capfd.readouterr().err.splitlines()
        assert f"oatmeal: {path}: The file warns of damage: look at its lower half." in said
        assert len(said) == 1


def test_the_note_stands_on_the_sheet_and_the_bench(web):
    series = web.series()
    hurt = HURT["a hole"]((PHOTOGRAPHS / "china.jpg").read_bytes())
    added = web.upload(series, "china.jpg", hurt).json["id"]
    for page in (f"/series/{series}", f"/bench/{added}"):
        assert "The file warns of damage" in web.client.get(page).get_data(as_text=True)


def test_a_jpeg_too_short_for_its_blocks_is_refused(tmp_path):
    """A few hundred bytes that claim 289 megapixels: each block has at least a bit (T.81)."""
    data = (PHOTOGRAPHS / "china.jpg").read_bytes()
    frame = data.index(b"\xff\xc0")
    claimed = data[: frame + 5] + struct.pack(">HH", 17000, 17000) + data[frame + 9 :]
    path = tmp_path / "claims.jpg"
    path.write_bytes(claimed[: data.rindex(b"\xff\xda") + 20])
    with pytest.raises(Damaged, match=r"claims\.jpg is damaged or incomplete"):
        decode(path)


def heic(path, mode="RGB", **more):
    pixels = codes(160, 240)
    if mode == "RGBA":
        pixels = np.dstack([pixels, np.full(pixels.shape[:2], 99, np.uint8)])
    pillow_heif.from_pillow(Image.fromarray(pixels, mode)).save(path, quality=90, **more)
    return path


@pytest.mark.parametrize("mode", ["RGB", "RGBA"])
@pytest.mark.parametrize("share", [0.5, 0.7, 0.9, 0.99])
def test_a_heic_file_that_was_cut_is_refused(tmp_path, mode, share):
    data = heic(tmp_path / "whole.heic", mode).read_bytes()
    assert decode(tmp_path / "whole.heic").notes == []
    path = tmp_path / "cut.heic"
    path.write_bytes(data[: round(len(data) * share)])
    with pytest.raises(Damaged):
        decode(path)


def box(kind, *parts):
    body = b"".join(parts)
    return struct.pack(">I4s", 8 + len(body), kind) + body


def tiled(places, size, aside=()):
    """A HEIF file whose main item 1 is made of tiles that lie at places, and items aside."""
    numbers = range(2, 2 + len(places))
    items = [*zip(numbers, places, strict=True), *aside]
    located = b"".join(
        struct.pack(">HHHII", item, 0, 1, offset, length) for item, (offset, length) in items
    )
    derived = struct.pack(f">HH{len(places)}H", 1, len(places), *numbers)
    meta = box(
        b"meta", bytes(4),
        box(b"pitm", bytes(4), struct.pack(">H", 1)),
        box(b"iloc", bytes(4), b"\x44\x00", struct.pack(">H", len(items)), located),
        box(b"iref", bytes(4), box(b"dimg", derived)),
    )  # fmt: skip
    data = box(b"ftyp", b"heic" + bytes(4) + b"heicmif1") + meta
    return data + struct.pack(">I4s", 0, b"mdat") + bytes(max(size - len(data) - 8, 0))


def test_every_tile_of_the_main_picture_must_lie_in_the_file(tmp_path):
    """ISO/IEC 14496-12, 8.11: as cameras and phones write them, at the boxes alone."""
    path = tmp_path / "tiles.heic"
    path.write_bytes(tiled([(400, 100), (500, 100), (600, 100)], 700))
    assert wholeness.check_boxes(path)
    path.write_bytes(tiled([(400, 100), (500, 100), (600, 100)], 699))
    with pytest.raises(wholeness.Broken):
        wholeness.check_boxes(path)
    # something else is missing, such as a small copy: the main picture is there
    path.write_bytes(tiled([(400, 100), (500, 100)], 600, aside=[(9, (650, 50))]))
    assert not wholeness.check_boxes(path)


@pytest.mark.parametrize("share", [0.2, 0.6, 0.95])
def test_a_raw_file_whose_picture_is_not_all_there_is_refused(tmp_path, share):
    data = write_dng(tmp_path / "whole.dng", LINEAR).read_bytes()
    path = tmp_path / "cut.dng"
    path.write_bytes(data[: round(len(data) * share)])
    with pytest.raises(Damaged):
        decode(path)


def test_a_hole_of_zeros_in_compressed_strips_is_seen(tmp_path):
    rng = np.random.default_rng(3)
    pixels = rng.integers(0, 65536, (200, 300), dtype=np.uint16)
    path = tmp_path / "strips.tif"
    tifffile.imwrite(path, pixels, compression="zlib", rowsperstrip=50)
    wholeness.check_strips(path)
    data = path.read_bytes()
    path.write_bytes(zeroed(data, len(data) // 2, 20_000))
    with pytest.raises(wholeness.Broken):
        wholeness.check_strips(path)
    # a black picture is no hole
    tifffile.imwrite(path, np.zeros((2000, 300), np.uint16))
    wholeness.check_strips(path)


@pytest.mark.parametrize(
    ("kind", "more"),
    [("GIF", {}), ("WEBP", {"quality": 85}), ("WEBP", {"lossless": True})],
    ids=["gif", "webp", "lossless"],
)
def test_a_hole_of_zeros_in_codes_alone_is_told(tmp_path, kind, more):
    """Nothing in GIF and WebP says where codes went wrong; as long a row of zeros does."""
    whole, holed = tmp_path / f"whole.{kind.lower()}", tmp_path / f"holed.{kind.lower()}"
    Image.open(DEMO / "bunting.jpg").resize((900, 600)).save(whole, kind, **more)
    data = bytearray(whole.read_bytes())
    middle = len(data) // 2
    data[middle : middle + 4096] = bytes(4096)
    holed.write_bytes(data)
    assert decode(whole, careful=True).notes == []
    assert "warns of damage" in decode(holed, careful=True).notes[0]


def test_a_png_that_ends_early_behind_its_pixels_is_told(tmp_path):
    """All pixels are there; what came after them is not."""
    path = tmp_path / "whole.png"
    Image.fromarray(codes(40, 60)).save(path)
    assert decode(path, careful=True).notes == []
    whole = path.read_bytes()
    path.write_bytes(whole[:-6])  # within its last chunk
    found = decode(path, careful=True)
    assert np.array_equal(found.codes, codes(40, 60))
    assert "warns of damage" in found.notes[0]
