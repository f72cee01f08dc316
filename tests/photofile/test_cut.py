"""Files of which a part is missing are refused, whatever way they are stored."""

import numpy as np
import pytest
import tifffile
from samples import codes

from oatmeal.photofile.decode import BRIGHTEST, decode
from oatmeal.photofile.errors import Damaged

WAYS = [(None, 8), (None, 16), ("lzw", 8), ("lzw", 16), ("zlib", 8), ("zlib", 16), ("jpeg", 8)]


@pytest.mark.parametrize("tile", [None, (64, 64)])
@pytest.mark.parametrize(("way", "bits"), WAYS)
def test_a_cut_tiff_is_never_taken_in_with_its_missing_part_black(tmp_path, way, bits, tile):
    pixels, file = codes(300, 400, bits), tmp_path / "whole.tif"
    private = [(50341, "s", 0, "private to its camera", True), (65000, "s", 0, "more", True)]
    options = {"photometric": "rgb", "tile": tile, "compression": way, "metadata": None}
    tifffile.imwrite(file, pixels, extratags=private, **options)
    assert decode(file).codes.shape == (300, 400, 3)  # tags that nobody knows are no fault
    # the directory of tags stands first, so that the cut takes pixels alone
    content = file.read_bytes()
    for share in (0.3, 0.6, 0.9, 0.99):
        (tmp_path / "cut.tif").write_bytes(content[: int(share * len(content))])
        with pytest.raises(Damaged):
            decode(tmp_path / "cut.tif")


def test_infinite_light_is_bright_and_not_black(tmp_path):
    light = np.full((20, 30, 3), 0.25, np.float32)
    light[5, 6], light[7, 8], light[9, 10] = np.inf, -np.inf, np.nan
    tifffile.imwrite(tmp_path / "light.tif", light, photometric="rgb", metadata=None)
    read = decode(tmp_path / "light.tif").linear(0, 0, 30, 20)
    assert (read[5, 6] == BRIGHTEST).all()
    assert (read[7, 8] == 0).all()
    assert (read[9, 10] == 0).all()
    assert read[0, 0, 0] == 0.25
