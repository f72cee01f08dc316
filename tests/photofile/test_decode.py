"""Picture files in: kinds, orientation, and what is refused."""

import contextlib

import numpy as np
import pytest
import tifffile
from PIL import Image, PngImagePlugin
from samples import codes, write_png

from oatmeal.core.colour import decode_srgb
from oatmeal.photofile import metadata
from oatmeal.photofile.decode import Limits, decode
from oatmeal.photofile.errors import Damaged, NotAPicture, PhotoFileError, TooLarge


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("channels", [1, 3])
@pytest.mark.parametrize("suffix", [".png", ".tif"])
def test_codes_are_read_exactly(tmp_path, bits, channels, suffix):
    pixels = codes(bits=bits)[..., :channels]
    path = tmp_path / f"picture{suffix}"
    if suffix == ".png":
        write_png(path, pixels)
    else:
        tifffile.imwrite(path, pixels[..., 0] if channels == 1 else pixels)
    picture = decode(path)
    assert np.array_equal(picture.codes, pixels)
    assert picture.bits == bits
    linear = picture.linear(5, 7, 20, 10)
    expected = decode_srgb(pixels[7:17, 5:25] / (2**bits - 1))
    assert np.allclose(linear, np.broadcast_to(expected, (10, 20, 3)), atol=1e-6)


def test_jpeg_is_read_as_other_decoders_read_it(tmp_path):
    path = tmp_path / "picture.jpg"
    Image.fromarray(codes(200, 300)).save(path, quality=95, subsampling=0)
    other = np.asarray(Image.open(path)).astype(int)
    assert np.abs(decode(path).codes - other).max() <= 2


@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_is_applied(tmp_path, orientation):
    """EXIF 2.32 tag 274, as Pillow's own ImageOps turns it."""
    from PIL import ImageOps

    exif = Image.Exif()
    exif[0x0112] = orientation
    path = tmp_path / "turned.png"
    Image.fromarray(codes()).save(path, exif=exif)
    upright = np.asarray(ImageOps.exif_transpose(Image.open(path)))
    assert np.array_equal(decode(path).codes, upright)


FORMS = {
    "attribute": b'<rdf:Description tiff:Orientation="6"/>',
    "element": b"<rdf:Description><tiff:Orientation>6</tiff:Orientation></rdf:Description>",
}


def chunks(data):
    at = 8
    while at < len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        yield data[at + 4 : at + 8], data[at : at + 12 + length]
        at += 12 + length


def test_orientation_after_the_pixels_of_a_png_is_applied(tmp_path):
    """The chunk eXIf may stand anywhere (PNG, third edition, 5.6)."""
    exif = Image.Exif()
    exif[0x0112] = 6
    path = tmp_path / "late.png"
    Image.fromarray(codes()).save(path, exif=exif)
    parts = list(chunks(path.read_bytes()))
    assert b"eXIf" in [kind for kind, _ in parts]
    first = [whole for kind, whole in parts if kind not in (b"eXIf", b"IEND")]
    late = [whole for kind, whole in parts if kind in (b"eXIf", b"IEND")]
    path.write_bytes(path.read_bytes()[:8] + b"".join(first + late))
    assert np.array_equal(decode(path).codes, np.rot90(codes(), 3))


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("suffix", [".png", ".avif", ".webp"])
def test_orientation_in_xmp_alone_is_applied(tmp_path, form, suffix):
    path = tmp_path / f"turned{suffix}"
    if suffix == ".png":
        text = PngImagePlugin.PngInfo()
        text.add_itxt("XML:com.adobe.xmp", FORMS[form].decode())
        Image.fromarray(codes()).save(path, pnginfo=text)
    else:
        Image.fromarray(codes()).save(path, xmp=FORMS[form], lossless=True, quality=100)
    found = decode(path).codes
    assert found.shape == np.rot90(codes(), 3).shape
    assert np.abs(found.astype(int) - np.rot90(codes(), 3)).mean() < 6


def truncated(tmp_path, suffix, share):
    whole = tmp_path / f"whole{suffix}"
    Image.fromarray(codes(300, 400)).save(whole)
    path = tmp_path / f"broken{suffix}"
    data = whole.read_bytes()
    path.write_bytes(data[: int(len(data) * share)])
    return path


@pytest.mark.parametrize("suffix", [".jpg", ".png", ".tif"])
@pytest.mark.parametrize("share", [0.05, 0.4, 0.9])
def test_truncated_files_are_refused(tmp_path, suffix, share):
    with pytest.raises(PhotoFileError, match=r"broken\.\w+ (is|holds|could)") as caught:
        decode(truncated(tmp_path, suffix, share))
    assert str(caught.value).count(".") <= 3


def test_what_is_no_picture_is_said(tmp_path):
    note = tmp_path / "note.jpg"
    note.write_text("no picture at all " * 200)
    with pytest.raises(NotAPicture, match=r"note\.jpg is not a picture"):
        decode(note)
    empty = tmp_path / "empty.png"
    empty.touch()
    with pytest.raises(NotAPicture, match=r"empty\.png is empty"):
        decode(empty)


def test_limits_are_said_with_their_setting(tmp_path):
    path = write_png(tmp_path / "large.png", codes(200, 300))
    with pytest.raises(TooLarge, match="OATMEAL_MAX_PIXELS"):
        decode(path, limits=Limits(max_pixels=59_999))
    with pytest.raises(TooLarge, match="OATMEAL_MAX_BYTES"):
        decode(path, limits=Limits(max_bytes=1000))


def test_an_alpha_channel_that_hides_nothing_is_dropped(tmp_path):
    opaque = np.full((40, 60, 1), 255, np.uint8)
    path = write_png(tmp_path / "opaque.png", np.concatenate([codes(), opaque], axis=2))
    assert np.array_equal(decode(path).codes, codes())


def test_bit_flips_give_a_picture_or_one_sentence(tmp_path):
    source = tmp_path / "source.jpg"
    Image.fromarray(codes(120, 160)).save(source)
    whole = bytearray(source.read_bytes())
    generator = np.random.default_rng(1)
    for number in range(40):
        flipped = bytearray(whole)
        for place in generator.integers(0, len(whole), 6):
            flipped[place] ^= 1 << int(generator.integers(0, 8))
        path = tmp_path / f"flipped-{number}.jpg"
        path.write_bytes(flipped)
        with contextlib.suppress(PhotoFileError):  # any other error fails the test
            assert decode(path).codes.size > 0


def test_damaged_metadata_never_stops_a_picture(tmp_path):
    path = tmp_path / "odd.jpg"
    Image.fromarray(codes()).save(path, exif=b"Exif\0\0II*\0\xff\xff\xff\xff" + b"\x55" * 64)
    assert decode(path).width == 60
    assert metadata.taken_at(metadata.read(path)) is None


def test_damage_is_not_mistaken_for_absence(tmp_path):
    with pytest.raises(Damaged):
        decode(truncated(tmp_path, ".jpg", 0.5))
