"""A zip archive as a stream."""

import io
import zipfile

import numpy as np

from oatmeal.exports.archive import CHUNK, streamed


def test_the_first_bytes_leave_before_the_second_file_is_read(tmp_path):
    noise = np.random.default_rng(1).bytes(3 * CHUNK + 17)
    (tmp_path / "one.jpg").write_bytes(noise)
    (tmp_path / "zwölf.jpg").write_bytes(noise[:1000])
    pieces = streamed(tmp_path, ["one.jpg", "gone.jpg", "zwölf.jpg"])
    first = next(pieces)
    assert CHUNK <= len(first) < 2 * CHUNK
    (tmp_path / "zwölf.jpg").write_bytes(b"changed while the first was sent")
    with zipfile.ZipFile(io.BytesIO(first + b"".join(pieces))) as archive:
        assert archive.namelist() == ["one.jpg", "zwölf.jpg"]
        assert archive.testzip() is None
        assert archive.read("one.jpg") == noise
        assert archive.read("zwölf.jpg") == b"changed while the first was sent"


def test_no_piece_is_larger_than_what_is_held(tmp_path):
    (tmp_path / "large.tif").write_bytes(bytes(9 * CHUNK))
    assert max(len(piece) for piece in streamed(tmp_path, ["large.tif"])) < 2 * CHUNK
