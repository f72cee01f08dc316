"""Files of every kind that is taken in: what their colours become, and what is said of them."""

import io
import struct
import time
import zlib

import imagecodecs
import numpy as np
import pillow_heif
import pytest
import pyvips
import tifffile
from PIL import Image, ImageCms
from samples import codes, write_dng, write_png

from oatmeal.core.colour import decode_srgb, encode_srgb, luminance
from oatmeal.core.recipe import REST
from oatmeal.exports.convert import convert_file, write_picture
from oatmeal.photofile import rawfile
from oatmeal.photofile.decode import decode
from oatmeal.photofile.encode import encode
from oatmeal.photofile.errors import PhotoFileError, TooLarge
from oatmeal.photofile.output import Output

PICTURE = codes(64, 96, seed=4)
LINEAR = decode_srgb(PICTURE / 255)


def vips(pixels, **more):
    pixels = np.ascontiguousarray(pixels)
    return pyvips.Image.new_from_array(pixels).copy(**more)


def seen(path, name=None):
    """Linear light of the whole file."""
    picture = decode(path, name)
    return picture.linear(0, 0, picture.width, picture.height)


def smooth():
    """A picture that lossy writers keep well."""
    y, x = np.mgrid[0:1:64j, 0:1:96j]
    return (np.stack([x, y, 1 - x], axis=-1) * 200 + 20).round().astype(np.uint8)


@pytest.mark.parametrize("suffix", [".webp", ".avif", ".heic", ".gif"])
def test_lossy_kinds(tmp_path, suffix):
    path = tmp_path / f"a{suffix}"
    if suffix == ".heic":
        pillow_heif.from_pillow(Image.fromarray(smooth())).save(str(path), quality=95)
    else:
        vips(smooth(), interpretation="srgb").write_to_file(
            str(path), **({} if suffix == ".gif" else {"Q": 95})
        )
    error = np.abs(seen(path) - decode_srgb(smooth() / 255)).mean()
    assert error < 0.02
    assert decode(path).notes == []


def test_ten_bits_of_avif_are_kept(tmp_path):
    ramp = np.linspace(0, 65535, 96 * 64).round().astype(np.uint16).reshape(64, 96)
    deep = np.repeat(ramp[..., None], 3, axis=2)
    image = vips(deep, interpretation="rgb16")
    image.heifsave(str(tmp_path / "deep.avif"), compression="av1", bitdepth=10, lossless=True)
    picture = decode(tmp_path / "deep.avif")
    assert picture.bits == 16
    assert len(np.unique(picture.codes)) > 256
    assert picture.codes.max() == 65535
    assert np.abs(picture.codes.astype(int) - deep).max() <= 128


@pytest.mark.parametrize("interlace", [False, True])
@pytest.mark.parametrize(
    ("kind", "depths"),
    [("grey", (2, 4, 8, 16)), ("palette", (1, 2, 4, 8)), ("rgb", (8, 16)),
     ("grey-alpha", (8, 16)), ("rgb-alpha", (8, 16))],
)  # fmt: skip
def test_every_kind_of_png(tmp_path, kind, depths, interlace):
    """Colour types, depths and interlacing: PNG specification (W3C, third edition), 11.2.1."""
    for depth in depths:
        grey = kind.startswith("grey")
        source = PICTURE[..., :1] if grey else PICTURE
        wide = source.astype(np.uint16) * 257 if depth == 16 else source
        if kind.endswith("alpha"):
            opacity = np.full((64, 96, 1), 7, wide.dtype)
            wide = np.concatenate([wide, opacity], axis=2)
        names = {(True, False): "b-w", (True, True): "grey16",
                 (False, False): "srgb", (False, True): "rgb16"}  # fmt: skip
        path = tmp_path / f"{depth}.png"
        options = {"palette": True, "Q": 100, "dither": 0} if kind == "palette" else {}
        vips(wide, interpretation=names[grey, depth == 16]).pngsave(
            str(path), bitdepth=depth, interlace=interlace, **options
        )
        written = path.read_bytes()[:29]
        expected_type = {"grey": 0, "rgb": 2, "palette": 3, "grey-alpha": 4, "rgb-alpha": 6}[kind]
        if not (kind == "grey" and depth < 8):  # libvips may write few greys as a palette
            assert written[25] == expected_type
        assert written[28] == int(interlace)
        picture = decode(path)
        assert (picture.width, picture.height) == (96, 64)
        assert picture.bits == (16 if depth == 16 else 8)
        assert (picture.alpha is not None) == kind.endswith("alpha")
        if depth >= 8 and kind != "palette":
            assert np.array_equal(picture.codes, wide[..., : 1 if grey else 3])
        else:
            levels = len(np.unique(picture.codes.reshape(-1, picture.codes.shape[2]), axis=0))
            assert 2 <= levels <= 2**depth


@pytest.mark.parametrize("interlace", [False, True])
def test_one_bit_png(tmp_path, interlace):
    """The one kind that the test above leaves out: colour type 0 with one bit."""
    line = np.where(PICTURE[..., :1] > 128, 255, 0).astype(np.uint8)
    path = tmp_path / "line.png"
    vips(line, interpretation="b-w").pngsave(str(path), bitdepth=1, interlace=interlace)
    assert path.read_bytes()[24:29] == bytes([1, 0, 0, 0, int(interlace)])
    assert np.array_equal(decode(path).codes, line)


def test_floating_point_is_linear_light_and_unbounded(tmp_path):
    light = (LINEAR * 4 - 0.1).astype(np.float32)
    light[3, 3] = np.nan
    tifffile.imwrite(tmp_path / "hdr.tif", light, photometric="rgb", compression="zlib")
    found = seen(tmp_path / "hdr.tif")
    light[3, 3] = 0
    assert np.array_equal(found, light)
    assert decode(tmp_path / "hdr.tif").bits == 32
    grey = tmp_path / "grey.tif"
    tifffile.imwrite(grey, light[..., 0], photometric="minisblack")
    assert np.allclose(seen(grey), light[..., :1])
    tifffile.imwrite(grey, light[..., 0].astype(np.float64), photometric="minisblack")
    assert np.allclose(seen(grey), light[..., :1])


@pytest.mark.parametrize("compression", ["zlib", "lzw", "packbits"])
def test_compressed_tiffs(tmp_path, compression):
    path = tmp_path / "a.tif"
    tifffile.imwrite(path, PICTURE, photometric="rgb", compression=compression, predictor=None)
    assert np.array_equal(decode(path).codes, PICTURE)


def test_cmyk_indexed_and_one_bit(tmp_path):
    cmyk = tmp_path / "press.jpg"
    Image.fromarray(smooth()).convert("CMYK").save(cmyk, quality=98)
    picture = decode(cmyk)
    assert "CMYK" in picture.notes[0]
    # Pillow's inks are the plain complement, which no press prints: only the order can be compared
    found = luminance(picture.linear(0, 0, 96, 64)).ravel()
    assert np.corrcoef(found, luminance(decode_srgb(smooth() / 255)).ravel())[0, 1] > 0.85
    few = Image.fromarray(PICTURE).quantize(12)
    few.save(tmp_path / "few.tif")
    assert np.array_equal(decode(tmp_path / "few.tif").codes, np.asarray(few.convert("RGB")))
    line = Image.fromarray(PICTURE[..., 1] > 128)
    for suffix in ("png", "tif"):
        line.save(tmp_path / f"line.{suffix}")
        assert np.array_equal(
            decode(tmp_path / f"line.{suffix}").codes[..., 0], np.asarray(line) * 255
        )


def test_pages_and_moving_pictures_say_which_was_taken(tmp_path):
    pages = [Image.fromarray(np.roll(PICTURE, shift, axis=1)) for shift in (0, 20, 40)]
    pages[0].save(tmp_path / "pages.tif", save_all=True, append_images=pages[1:])
    picture = decode(tmp_path / "pages.tif")
    assert np.array_equal(picture.codes, PICTURE)
    assert picture.notes == ["pages.tif holds 3 pages; the first was taken."]
    pages[0].save(tmp_path / "moving.webp", save_all=True, append_images=pages[1:], lossless=True)
    picture = decode(tmp_path / "moving.webp")
    assert (picture.width, picture.height) == (96, 64)
    assert picture.notes == ["moving.webp holds 3 frames; the first was taken."]


def test_a_raw_file_is_developed_to_linear_light(tmp_path):
    light = np.zeros((64, 96, 3))
    light[:, :48], light[:, 48:] = (0.2, 0.4, 0.1), (0.5, 0.3, 0.6)
    path = write_dng(tmp_path / "frame.dng", light)
    assert np.allclose(seen(path)[32, 20], light[32, 20], atol=2e-3)
    assert np.allclose(seen(path)[32, 80], light[32, 80], atol=2e-3)
    unnamed = path.rename(tmp_path / "received")  # as it arrives, without a suffix
    assert decode(unnamed, "frame.dng").format == "raw"
    assert decode(unnamed, "upload").format == "raw"  # by its tags
    broken = tmp_path / "broken.dng"
    broken.write_bytes(unnamed.read_bytes()[:900])
    with pytest.raises(PhotoFileError, match=r"broken\.dng"):
        decode(broken)
    picture = tmp_path / "wrong.dng"
    Image.fromarray(PICTURE).save(picture, "JPEG", quality=100)
    assert decode(picture).format == "jpeg"


def test_raw_colours_outside_srgb_are_kept(tmp_path):
    """A camera that sees BT.2020's primaries, with pure ones; colour-science leads to sRGB."""
    import colour

    wide = np.zeros((64, 96, 3))
    stripes = [(0.5, 0.05, 0.03), (0.03, 0.5, 0.05), (0.03, 0.05, 0.5), (0.18, 0.18, 0.18)]
    for place, stripe in enumerate(stripes):
        wide[:, 24 * place : 24 * place + 24] = stripe
    to_camera = np.linalg.inv(colour.RGB_COLOURSPACES["ITU-R BT.2020"].matrix_RGB_to_XYZ)
    path = write_dng(tmp_path / "wide.dng", wide, to_camera)
    found = seen(path)
    for place, stripe in enumerate(stripes):
        expected = colour.RGB_to_RGB(stripe, "ITU-R BT.2020", "sRGB")
        assert np.allclose(found[32, 24 * place + 12], expected, atol=6e-3)
    assert found[32, 36].min() < -0.1  # green beyond sRGB
    assert np.ptp(found[32, 84]) < 1e-3


def test_highlights_of_a_raw_file_hold_what_the_sensor_still_has(tmp_path):
    """Green is full at white, red at twice that; what is below white stays as it was."""
    stripes = [(0.18, 0.18, 0.18), (0.9, 0.9, 0.9), (1.5, 0.6, 0.3), (1.6, 1.6, 1.4)]
    light = np.zeros((96, 64 * len(stripes), 3))
    for place, stripe in enumerate(stripes):
        light[:, 64 * place : 64 * place + 64] = stripe
    path = write_dng(tmp_path / "bright.dng", light, neutral=(0.5, 1.0, 0.7))
    found = seen(path)
    for place in (0, 1, 2):
        assert np.allclose(found[48, 64 * place + 32], stripes[place], atol=6e-3)
    burnt = found[48, 224]
    assert burnt[0] == pytest.approx(1.6, abs=0.02)  # red was not full
    assert 1.2 < burnt[1] < 1.9  # green was: it is told by the others
    plain = write_dng(tmp_path / "plain.dng", light)  # all channels are full at white
    assert np.allclose(seen(plain)[48, 224], 1, atol=2e-3)


def test_the_look_that_the_camera_meant_is_read_from_its_preview(tmp_path):
    _, x = np.mgrid[0:128, 0:192]
    light = np.repeat(((x + 0.5) / 192)[..., None] ** 1.8, 3, axis=2)
    lighter = 1.055 * light ** (1 / 2.4) - 0.055
    preview = (np.clip(lighter, 0, 1) ** 0.75 * 255).round().astype(np.uint8)
    path = write_dng(tmp_path / "meant.dng", light, preview=preview)
    curve = rawfile.camera_look(path)
    assert curve[0] == (0, 0)
    assert curve[-1] == (1, 1)
    assert all(y == pytest.approx(x**0.75, abs=0.02) for x, y in curve)
    assert rawfile.camera_look(write_dng(tmp_path / "none.dng", light)) is None


@pytest.mark.parametrize(("suffix", "depth"), [("png", 8), ("png", 16), ("tiff", 8), ("tiff", 16)])
@pytest.mark.parametrize("channels", ["grey", "rgb"])
def test_transparency_is_kept_where_the_format_can(tmp_path, suffix, depth, channels):
    opacity = np.tile(np.linspace(0, 255, 96).round().astype(np.uint8), (64, 1))[..., None]
    path = write_png(tmp_path / "window.png", np.concatenate([PICTURE, opacity], axis=2))
    out = tmp_path / f"out.{suffix}"
    convert_file(path, REST, Output(suffix, depth, channels), out)
    picture = decode(out)
    wide = 257 if depth == 16 else 1
    assert np.array_equal(picture.alpha, opacity[..., 0].astype(int) * wide)
    assert picture.codes.shape[2] == (1 if channels == "grey" else 3)
    small = tmp_path / f"small.{suffix}"
    write_picture(decode(path), REST, Output(suffix, depth, channels, long_side=48), small)
    assert decode(small).alpha.shape == (32, 48)
    flat = tmp_path / "flat.jpg"
    convert_file(path, REST, Output("jpeg"), flat)
    assert decode(flat).alpha is None


@pytest.mark.parametrize("form", ["webp", "avif"])
def test_webp_and_avif_out(tmp_path, form):
    ramp = np.tile(np.linspace(0, 255, 256).round().astype(np.uint8), (64, 1))
    path = tmp_path / f"a.{form}"
    assert encode(ramp, path, Output(form, quality=95)) == path.stat().st_size
    picture = decode(path)
    assert np.ptp(picture.codes, axis=2).max() <= 2  # neutral
    assert np.abs(picture.codes[..., 1].astype(int) - ramp).max() <= 6
    with pytest.raises(PhotoFileError, match="8 bits"):
        Output(form, 16)


@pytest.mark.parametrize(
    ("primaries", "gamma"),
    [((0.680, 0.320, 1.0, 0.265, 0.690, 1.0, 0.150, 0.060, 1.0), 2.4),  # SMPTE RP 431-2, D65
     ((0.64, 0.33, 1.0, 0.21, 0.71, 1.0, 0.15, 0.06, 1.0), 563 / 256)],  # a wide green, curve 2.2
)  # fmt: skip
def test_wide_gamut_profiles_at_16_bits_against_littlecms(tmp_path, primaries, gamma):
    """The conversion to 16-bit sRGB by LittleCMS itself, within one code."""
    profile = imagecodecs.cms_profile(
        "rgb", whitepoint=(0.3127, 0.329, 1.0), primaries=primaries, gamma=gamma
    )
    deep = codes(60, 80, bits=16, seed=8)
    path = tmp_path / "wide.tif"
    tifffile.imwrite(path, deep, photometric="rgb", iccprofile=profile)
    light = seen(path)
    inside = (light > 0.002) & (light < 0.999)
    ours = np.floor(encode_srgb(light.clip(0, 1)) * 65535 + 0.5)
    theirs = imagecodecs.cms_transform(
        deep, profile, imagecodecs.cms_profile("srgb"), colorspace="rgb", outcolorspace="rgb",
        outdtype="float32", intent=1,
    )  # fmt: skip
    theirs = np.floor(theirs.astype(float) * 65535 + 0.5)
    whole = inside.all(axis=-1)
    assert whole.mean() > 0.3
    assert np.abs(ours - theirs)[whole].max() <= 1


def test_the_grey_profile_reads_back_as_the_srgb_curve(tmp_path):
    """LittleCMS through Pillow, from the written file's own profile."""
    path = tmp_path / "grey.png"
    ramp = np.tile(np.arange(256, dtype=np.uint8), (4, 1))
    encode(ramp, path, Output("png"))
    with Image.open(path) as image:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
        shown = ImageCms.profileToProfile(
            image, profile, ImageCms.createProfile("sRGB"), outputMode="RGB"
        )
    assert np.abs(np.asarray(shown)[0].astype(int) - np.arange(256)[:, None]).max() <= 1


KINDS = [".jpg", ".png", ".tif", ".webp", ".avif", ".heic", ".gif", ".dng"]


def sample(path, suffix):
    if suffix == ".dng":
        return write_dng(path, LINEAR.clip(0, 1))
    if suffix == ".heic":
        pillow_heif.from_pillow(Image.fromarray(PICTURE)).save(str(path))
    else:
        vips(PICTURE, interpretation="srgb").write_to_file(str(path))
    return path


def picture_or_sentence(path):
    """Any other error fails the test; nothing takes long."""
    begun = time.monotonic()
    said = ""
    try:
        assert decode(path).codes.size > 0
    except PhotoFileError as error:
        said = str(error)
    assert not said or path.name in said
    assert len(said) < 200
    assert time.monotonic() - begun < 20


@pytest.mark.parametrize("suffix", KINDS)
def test_truncation_at_every_tenth_and_flipped_bits(tmp_path, suffix):
    whole = sample(tmp_path / f"whole{suffix}", suffix).read_bytes()
    generator = np.random.default_rng(2)
    for tenth in range(1, 10):
        path = tmp_path / f"cut-{tenth}{suffix}"
        path.write_bytes(whole[: len(whole) * tenth // 10])
        picture_or_sentence(path)
    for number in range(25):
        flipped = bytearray(whole)
        for place in generator.integers(0, len(whole), 8):
            flipped[place] ^= 1 << int(generator.integers(0, 8))
        path = tmp_path / f"flipped-{number}{suffix}"
        path.write_bytes(flipped)
        picture_or_sentence(path)


def test_a_small_file_that_would_unfold_to_a_huge_picture(tmp_path):
    side = 60_000
    header = struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0)

    def chunk(kind, content):
        return (struct.pack(">I", len(content)) + kind + content
                + struct.pack(">I", zlib.crc32(kind + content)))  # fmt: skip

    lines = zlib.compress(bytes(1_000_000), 9)
    path = tmp_path / "bomb.png"
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", lines) + chunk(b"IEND", b"")
    )
    with pytest.raises(TooLarge, match=r"bomb\.png has 3600 megapixels"):
        decode(path)


class _Blank:
    """What the library for HEIC gives where its decoder gave no pixels."""

    size, info = (96, 64), {}

    def __len__(self):
        return 1


@pytest.mark.parametrize("error", [None, IndexError("list index out of range")])
def test_a_heic_without_pixels_is_damaged(tmp_path, monkeypatch, error):
    path = tmp_path / "a.heic"
    pillow_heif.from_pillow(Image.fromarray(PICTURE)).save(str(path))

    def opened(*given, **more):
        if error:
            raise error
        return _Blank()

    monkeypatch.setattr(pillow_heif, "open_heif", opened)
    with pytest.raises(PhotoFileError, match=r"a\.heic is damaged or incomplete"):
        decode(path)
