"""TIFF files of kinds that few programs write, and what is said of kinds that are not read."""

import io
import struct

import numpy as np
import pytest
import pyvips
import tifffile
from PIL import Image, ImageCms
from samples import codes, colour_science

from oatmeal.core.colour import decode_srgb
from oatmeal.photofile import unusual
from oatmeal.photofile.decode import Limits, decode
from oatmeal.photofile.errors import Damaged, NotAPicture, TooLarge, Unsupported

PICTURE = codes(64, 96, seed=4)
LINEAR = decode_srgb(PICTURE / 255)

ORIENTATION = 274


def planes(path):
    tifffile.imwrite(
        path, np.moveaxis(PICTURE, -1, 0), photometric="rgb", planarconfig="separate",
        tile=(32, 32),
    )  # fmt: skip


def compressed(way):
    return lambda path: tifffile.imwrite(path, PICTURE, photometric="rgb", compression=way)


def turned(orientation):
    tag = (ORIENTATION, 3, 1, orientation, True)
    return lambda path: tifffile.imwrite(path, PICTURE, photometric="rgb", extratags=[tag])


def by_hand(path, data, bits, compression, photometric, more=()):
    """A little-endian TIFF 6.0 with one strip of ``data``."""
    tags = [
        (256, 4, 96), (257, 4, 64), (258, 3, None), (259, 3, compression), (262, 3, photometric),
        (273, 4, None), (277, 3, 3), (278, 4, 64), (279, 4, len(data)), (284, 3, 1), *more,
    ]  # fmt: skip
    behind = 8 + 2 + 12 * len(tags) + 4
    out = b"II*\0" + struct.pack("<IH", 8, len(tags))
    for tag, kind, value in tags:
        if tag == 258:
            out += struct.pack("<HHII", tag, kind, 3, behind)
        else:
            value = behind + 6 if value is None else value
            out += struct.pack("<HHII", tag, kind, 1, value)
    path.write_bytes(out + struct.pack("<IHHH", 0, bits, bits, bits) + data)


def twelve_bits(path):
    """Two codes in three bytes."""
    wide = (PICTURE.astype(int) * 4095 + 127) // 255
    first, second = wide.reshape(-1)[0::2], wide.reshape(-1)[1::2]
    packed = np.stack([first >> 4, (first & 15) << 4 | second >> 8, second & 255], axis=-1)
    by_hand(path, packed.astype(np.uint8).tobytes(), 12, 1, 2)


def old_jpeg(path):
    """Compression 6: a whole JPEG file inside (TIFF 6.0, section 22)."""
    buffer = io.BytesIO()
    y, x = np.mgrid[0:1:64j, 0:1:96j]
    smooth = (np.stack([x, y, 1 - x], axis=-1) * 200 + 20).round().astype(np.uint8)
    Image.fromarray(smooth).save(buffer, "JPEG", quality=97, subsampling=0)
    data = buffer.getvalue()
    tags = 13
    where = 8 + 2 + 12 * tags + 4 + 6
    by_hand(path, data, 8, 6, 6, [(512, 3, 1), (513, 4, where), (514, 4, len(data))])
    return smooth


EXACT = {
    "tiles in planes": planes, "LZMA": compressed("lzma"), "Zstandard": compressed("zstd"),
    "orientation 0": turned(0), "orientation 9": turned(9),
}  # fmt: skip


@pytest.mark.parametrize("kind", EXACT)
def test_unusual_kinds_are_read_exactly(tmp_path, kind):
    path = tmp_path / "a.tif"
    EXACT[kind](path)
    assert unusual.is_unusual(path)
    picture = decode(path)
    assert np.array_equal(picture.codes, PICTURE)
    assert (picture.format, picture.notes) == ("tiff", [])


def test_a_usual_kind_goes_the_usual_way(tmp_path):
    path = tmp_path / "a.tif"
    for orientation in (1, 6):
        turned(orientation)(path)
        assert not unusual.is_unusual(path)
    assert not unusual.is_unusual(
        Image.fromarray(PICTURE).save(tmp_path / "a.png") or tmp_path / "a.png"
    )


def test_twelve_bits(tmp_path):
    twelve_bits(tmp_path / "a.tif")
    picture = decode(tmp_path / "a.tif")
    assert picture.bits == 16
    assert np.abs(picture.linear(0, 0, 96, 64) - LINEAR).max() < 5e-4
    assert picture.codes.max() == pytest.approx(PICTURE.max() / 255 * 65535, abs=9)


def test_old_jpeg(tmp_path):
    smooth = old_jpeg(tmp_path / "a.tif")
    assert np.abs(decode(tmp_path / "a.tif").codes.astype(int) - smooth).max() <= 6


def lab_of(linear):
    """CIE L*a*b* under D50 by colour-science (CIE 015; Bradford)."""
    science = colour_science()
    white = science.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D50"]
    xyz = science.RGB_to_XYZ(linear, "sRGB", white, "Bradford")
    return science.XYZ_to_Lab(xyz, white)


@pytest.mark.parametrize("kind", ["8", "8 of ICC", "16", "16 signed", "floating"])
def test_lab_of_every_kind(tmp_path, kind):
    """L* over the range of the codes, a* and b* signed or from the middle (TIFF 6.0, 23)."""
    lab, path = lab_of(LINEAR), tmp_path / "lab.tif"
    width = 8 if kind.startswith("8") else 16
    top = 2**width
    lightness = np.rint(lab[..., :1] / 100 * (top - 1)).astype(int)
    colours = np.rint(lab[..., 1:] * (top / 256)).astype(int)
    if "ICC" in kind:
        colours += top // 2
    stored = np.concatenate([lightness, colours], axis=-1) % top
    stored = stored.astype(f"u{width // 8}")
    if kind == "16 signed":
        stored = stored.view(np.int16)
    if kind == "floating":
        stored = lab.astype(np.float32)
    tifffile.imwrite(path, stored, photometric="icclab" if "ICC" in kind else "cielab")
    picture = decode(path)
    error = np.abs(picture.linear(0, 0, 96, 64) - LINEAR)
    assert error.mean() < (0.008 if width == 8 else 2e-4)
    assert error.max() < (0.08 if width == 8 else 3e-3)
    assert picture.notes == ["lab.tif is a Lab file; its colours were taken as sRGB."]


def test_lab_that_another_library_wrote(tmp_path):
    """Pillow with LittleCMS."""
    to_lab = ImageCms.buildTransform(
        ImageCms.createProfile("sRGB"), ImageCms.createProfile("LAB"), "RGB", "LAB"
    )
    ImageCms.applyTransform(Image.fromarray(PICTURE), to_lab).save(tmp_path / "lab.tif")
    picture = decode(tmp_path / "lab.tif")
    assert np.abs(picture.linear(0, 0, 96, 64) - LINEAR).mean() < 0.008


@pytest.mark.parametrize("kind", [*EXACT, "twelve bits"])
@pytest.mark.parametrize("tenth", range(1, 10))
def test_what_was_cut_is_refused(tmp_path, kind, tenth):
    path = tmp_path / "cut.tif"
    (EXACT | {"twelve bits": twelve_bits})[kind](path)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) * tenth // 10])
    with pytest.raises((Damaged, NotAPicture), match=r"cut\.tif"):
        decode(path)


def test_missing_tiles_are_not_taken_for_black(tmp_path):
    path = tmp_path / "holes.tif"
    planes(path)
    with tifffile.TiffFile(path, mode="r+b") as file:
        counts = file.pages[0].tags[325]
        counts.overwrite((*counts.value[:-1], 0))
    with pytest.raises(Damaged, match=r"holes\.tif is damaged"):
        decode(path)


def test_the_limit_on_pixels_holds_for_them_too(tmp_path):
    planes(tmp_path / "a.tif")
    with pytest.raises(TooLarge, match=r"a\.tif"):
        decode(tmp_path / "a.tif", limits=Limits(max_pixels=1000))


def test_what_is_not_read_is_said(tmp_path):
    path = tmp_path / "a.tif"
    tifffile.imwrite(path, PICTURE.astype(np.uint32), photometric="rgb", compression="zstd")
    with pytest.raises(Unsupported, match=r"a\.tif stores its pixels as uint32 numbers"):
        decode(path)
    cmyk = np.concatenate([PICTURE, PICTURE[..., :1]], axis=2)
    tifffile.imwrite(path, cmyk, photometric="separated", compression="zstd")
    with pytest.raises(Unsupported, match=r"a\.tif is a TIFF of a kind that is not supported"):
        decode(path)


def test_a_moving_avif_is_named_as_one(tmp_path):
    """Only the box that says so, as an AVIF image sequence begins (AVIF specification, 6.3)."""
    path = tmp_path / "moving.avif"
    pyvips.Image.new_from_array(PICTURE).heifsave(str(path), compression="av1")
    assert decode(path).format == "heif"
    path.write_bytes(path.read_bytes().replace(b"ftypavif", b"ftypavis", 1))
    with pytest.raises(Unsupported, match=r"moving\.avif is a moving picture"):
        decode(path)


def test_a_whole_file_that_needs_too_much_memory_is_not_called_damaged(tmp_path, monkeypatch):
    planes(tmp_path / "a.tif")

    def too_large(*given, **more):
        raise MemoryError

    monkeypatch.setattr(tifffile.TiffPage, "asarray", too_large)
    with pytest.raises(MemoryError):
        decode(tmp_path / "a.tif")


@pytest.mark.parametrize("way", ["lzma", "zstd"])
def test_a_large_tiff_s_kind_is_told_by_its_longer_directory(tmp_path, way):
    """BigTIFF (2007): magic number 43, eight bytes for places and counts."""
    path = tmp_path / "big.tif"
    tifffile.imwrite(path, PICTURE, photometric="rgb", compression=way, bigtiff=True)
    assert np.array_equal(decode(path).codes, PICTURE)


@pytest.mark.parametrize("tile", [None, (32, 32)])
def test_half_floats_in_separate_planes_keep_their_channels(tmp_path, tile):
    path = tmp_path / "half.tif"
    half = LINEAR.astype(np.float16)
    more = {"tile": tile} if tile else {}
    tifffile.imwrite(
        path, np.moveaxis(half, -1, 0), photometric="rgb", planarconfig="separate", **more
    )
    assert np.array_equal(decode(path).codes, half.astype(np.float32))


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_colour_that_was_multiplied_by_its_opacity_is_as_it_was(tmp_path, dtype):
    most = np.iinfo(dtype).max
    alpha = np.full(PICTURE.shape[:2], most // 2, dtype)
    alpha[:9] = most
    colour = PICTURE.astype(dtype) * (most // 255)
    laid = np.rint(colour * (alpha[..., None] / most)).astype(dtype)
    path = tmp_path / "laid.tif"
    tifffile.imwrite(
        path, np.moveaxis(np.dstack([laid, alpha]), -1, 0), photometric="rgb",
        planarconfig="separate", tile=(32, 32), extrasamples=["assocalpha"],
    )  # fmt: skip
    found = decode(path)
    assert np.abs(found.codes.astype(int) - colour).max() <= 2
    assert np.array_equal(found.alpha, alpha)


def test_a_small_file_of_many_channels_is_refused_by_what_it_would_take(tmp_path):
    path = tmp_path / "many.tif"
    many = np.zeros((64, 200, 300), np.float32)
    tifffile.imwrite(
        path, many, photometric="minisblack", planarconfig="separate", compression="zlib",
        tile=(32, 32),
    )  # fmt: skip
    with pytest.raises(TooLarge, match=r"many\.tif holds 64 channels of 0\.0 GB, more than the"):
        decode(path, limits=Limits(max_pixels=100_000))
    assert path.stat().st_size < 150_000
