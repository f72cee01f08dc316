"""Finished files: formats, depths, profile, metadata, atomic writing."""

import io
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
import pyvips
import tifffile
from PIL import Image, ImageCms
from samples import DEMO, codes, read_png

from oatmeal.photofile import metadata
from oatmeal.photofile.decode import decode
from oatmeal.photofile.encode import encode
from oatmeal.photofile.errors import PhotoFileError, Unsupported
from oatmeal.photofile.output import SUFFIX_OF, SUFFIXES, Output


def grey(bits):
    return np.ascontiguousarray(codes(90, 120, bits)[..., 1])


@pytest.mark.parametrize("channels", ["grey", "rgb"])
@pytest.mark.parametrize(("format_", "bits"), [("png", 8), ("png", 16), ("tiff", 8), ("tiff", 16)])
def test_lossless_files_hold_the_very_codes(tmp_path, format_, bits, channels):
    path = tmp_path / f"out{SUFFIX_OF[format_]}"
    encode(grey(bits), path, Output(format_, bits, channels))
    read = read_png(path) if format_ == "png" else tifffile.imread(path)
    expected = grey(bits) if channels == "grey" else np.repeat(grey(bits)[..., None], 3, axis=2)
    assert read.dtype == expected.dtype
    assert np.array_equal(read, expected)
    assert np.array_equal(decode(path).codes[..., 0], grey(bits))


@pytest.mark.parametrize("format_", ["jpeg", "png", "tiff"])
def test_one_channel_with_a_grey_profile_and_the_cameras_data(tmp_path, format_):
    exif = metadata.read(DEMO / "first-lift.jpg")
    path = tmp_path / f"out{SUFFIX_OF[format_]}"
    encode(grey(8), path, Output(format_), exif)
    with Image.open(path) as image:
        assert image.mode == "L"
        profile = ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))
        assert profile.profile.xcolor_space.strip() == "GRAY"
    before, after = metadata.load(exif), metadata.load(metadata.read(path))
    assert after[0x010F] == before[0x010F]
    assert after.get_ifd(0x8769)[0x9003] == before.get_ifd(0x8769)[0x9003]
    assert metadata.taken_at(metadata.read(path)) == metadata.taken_at(exif)
    assert isinstance(metadata.taken_at(exif), datetime)
    assert 0x0112 not in after or after[0x0112] == 1


def test_the_stated_size_is_that_of_the_finished_file(tmp_path):
    exif = metadata.read(DEMO / "first-lift.jpg")
    encode(grey(8), tmp_path / "out.jpg", Output("jpeg"), exif)
    details = metadata.load(metadata.read(tmp_path / "out.jpg")).get_ifd(0x8769)
    assert details.get(0xA002, 120) == 120


@pytest.mark.parametrize("format_", ["jpeg", "png", "webp"])
def test_the_cameras_data_say_the_resolution_too(tmp_path, format_):
    path = tmp_path / f"out{SUFFIX_OF[format_]}"
    exif = metadata.read(DEMO / "first-lift.jpg")
    encode(grey(8), path, Output(format_, resolution=240), exif)
    with Image.open(path) as written:
        found = written.getexif()
    assert (found[0x011A], found[0x011B], found[0x0128]) == (240, 240, 2)
    assert found[0x010F] == metadata.load(exif)[0x010F]


def test_quality_decides_the_size(tmp_path):
    small = encode(grey(8), tmp_path / "a.jpg", Output("jpeg", quality=50))
    large = encode(grey(8), tmp_path / "b.jpg", Output("jpeg", quality=98))
    assert small < large == (tmp_path / "b.jpg").stat().st_size


@pytest.mark.parametrize("pixels", [grey(8), codes(90, 120)], ids=["grey", "colour"])
@pytest.mark.parametrize("quality", [50, 89, 90, 97])
def test_a_jpeg_holds_what_libvips_would_write(tmp_path, pixels, quality):
    encode(pixels, tmp_path / "a.jpg", Output("jpeg", quality=quality, resolution=360))
    with Image.open(tmp_path / "a.jpg") as written:
        assert written.info["dpi"] == (360, 360)
        found = np.asarray(written)
    pyvips.Image.new_from_array(pixels).jpegsave(str(tmp_path / "b.jpg"), Q=quality)
    assert np.array_equal(found, np.asarray(Image.open(tmp_path / "b.jpg")))


@pytest.mark.parametrize(("room", "kept"), [(65526, True), (65528, False)])
def test_metadata_too_long_for_a_jpeg_is_left_out(tmp_path, room, kept):
    def block(length):
        exif = metadata.load(b"")
        exif[0x010E] = "x" * length
        return exif.tobytes().removeprefix(b"Exif\0\0")

    def written_block(exif):
        return metadata.at_resolution(metadata.for_size(exif, 120, 90), 300)

    exif = block(room - (len(written_block(block(60_000))) - 60_000))
    assert len(written_block(exif)) == room
    encode(grey(8), tmp_path / "out.jpg", Output("jpeg"), exif)
    with Image.open(tmp_path / "out.jpg") as written:
        written.load()
        assert (0x010E in written.getexif()) == kept


@pytest.mark.parametrize(
    "arguments",
    [("gif",), ("jpeg", 16), ("png", 12), ("png", 8, "cmyk"), ("jpeg", 8, "grey", 0),
     ("png", 8, "grey", 90, 5)],
)  # fmt: skip
def test_forms_that_cannot_be_are_refused(arguments):
    with pytest.raises(Unsupported):
        Output(*arguments)


def test_a_file_is_written_whole_or_not_at_all(tmp_path, monkeypatch):
    path = tmp_path / "out.png"
    path.write_bytes(b"what was there before")
    monkeypatch.setattr("os.fsync", lambda handle: (_ for _ in ()).throw(OSError(5, "disk broken")))
    with pytest.raises(PhotoFileError, match="disk broken"):
        encode(grey(8), path, Output("png"))
    assert path.read_bytes() == b"what was there before"
    assert list(tmp_path.iterdir()) == [path]


def test_a_folder_that_is_not_there_is_said(tmp_path):
    with pytest.raises(PhotoFileError, match="cannot be written"):
        encode(grey(8), tmp_path / "missing" / "out.png", Output("png"))


@pytest.mark.parametrize("name", ["a.png", "a.tif", "a.jpg"])
def test_a_toned_picture_is_written_as_colour_whatever_was_asked_for(tmp_path, name):
    """Three channels and their profile, also where grey was wanted."""
    toned = codes(30, 40)
    output = Output(SUFFIXES[Path(name).suffix], quality=100)
    assert output.single
    encode(toned, tmp_path / name, output)
    written = Image.open(tmp_path / name)
    assert written.mode == "RGB"
    slack = 12 if name.endswith("jpg") else 0
    assert np.abs(np.asarray(written).astype(int) - toned).max() <= slack
    profile = ImageCms.ImageCmsProfile(io.BytesIO(written.info["icc_profile"]))
    assert profile.profile.xcolor_space.strip() == "RGB"
