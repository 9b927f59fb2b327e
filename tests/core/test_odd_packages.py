"""Exported terrain bundles that somebody has changed: each is refused in words, or read as what it says."""

import io
import json

import numpy as np
import pytest
import tifffile
from core.test_bundles import zipped

from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.heights.npy import NPY
from ashblend.core.formats.heights.png import PNG
from ashblend.core.formats.heights.stored import packed_files, unpacked_files
from ashblend.core.formats.images import write_png
from ashblend.core.formats.terrain_package import MANIFEST
from ashblend.core.formats.terrain_read import read_package
from ashblend.core.surface.heights_intake import take_in_heights
from ashblend.core.terrain.taken import taken

HEIGHTS = {"file": "heights.png", "rows": 9, "cols": 13, "spacing": 0.5, "low": -3.0, "high": 21.0}
SPLAT = {
    "file": "s.png", "name": "S", "rows": 8, "cols": 12, "bits": 8, "stored": 3,
    "channels": [{"name": "A"}, {"name": "B"}, {"name": "C"}],
}  # fmt: skip
GREY = np.arange(9 * 13, dtype=np.uint16).reshape(9, 13) * 500
WEIGHTS = np.random.default_rng(4).integers(0, 256, (8, 12, 3)).astype(np.uint8)


def npy(values: np.ndarray) -> bytes:
    out = io.BytesIO()
    np.save(out, values)
    return out.getvalue()


def tiff(values: np.ndarray, **more) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, values, metadata=None, **more)
    return out.getvalue()


def read(heights=None, splat=None, file: bytes | None = None, regions=None):
    """The bundle with some of what it says changed, through all that taking it does."""
    entry = {**SPLAT, **(splat or {})}
    manifest = {"heights": {**HEIGHTS, **(heights or {})}, "splat": [entry], "regions": regions or {}}
    text = json.dumps(manifest, allow_nan=True)
    parts = {
        MANIFEST: text.encode(),
        "heights.png": PNG.write(GREY),
        entry["file"]: file or write_png(WEIGHTS),
    }
    name, data = packed_files({"t.zip": zipped(parts)}, Limits())
    package = read_package(unpacked_files(name, data))
    terrain = taken(package.grid.values, package.grid.most, package.taking)
    return package, take_in_heights(terrain, [], package.sets)


def test_the_bundle_as_it_is_comes_back():
    package, intake = read()
    np.testing.assert_allclose(package.sets[0].weights(1), WEIGHTS[..., 1] / 255, atol=1e-7)
    assert package.taking.spacing == 0.5 and (package.taking.low, package.taking.high) == (-3, 21)
    assert len(intake.sets) == 2


@pytest.mark.parametrize(
    "heights",
    [
        {"spacing": 1e-320}, {"spacing": float("nan")}, {"spacing": float("inf")}, {"spacing": 1e9},
        {"low": 5.0, "high": 5.0}, {"low": float("nan")}, {"high": float("inf")}, {"high": 1e300},
        {"rows": 10}, {"cols": 12}, {"rows": 30_000}, {"file": "../heights.png"}, {"file": "absent.png"},
    ],
    ids=str,
)  # fmt: skip
def test_odd_heights_are_refused(heights):
    with pytest.raises(FormatError) as error:
        read(heights=heights)
    assert error.value.problem and error.value.remedy


@pytest.mark.parametrize(
    "splat, file",
    [
        ({"rows": 8193, "cols": 8193}, None),
        ({"rows": 7}, None),
        ({"stored": 1}, write_png(WEIGHTS[..., 0])),
        ({"stored": 2}, None),
        ({}, write_png(WEIGHTS[..., 0])),
        ({"bits": 8}, write_png(WEIGHTS.astype(np.uint16) * 257)),
        ({"file": "s.npy"}, npy(WEIGHTS.astype("U3"))),
        ({"file": "s.npy"}, npy(WEIGHTS.astype([("a", "u1")]))),
        ({"file": "s.npy"}, npy(WEIGHTS / np.float32(255))),
        ({"file": "s.npy"}, npy(WEIGHTS.astype(complex))),
        ({"file": "s.npy"}, npy(WEIGHTS.astype("datetime64[s]"))),
        ({"file": "s.npy", "bits": 8}, npy(np.full((8, 12, 3), 60_000, np.uint16))),
        ({"file": "s.npy", "bits": 4}, npy(WEIGHTS)),
        ({"file": "s.npy"}, npy(WEIGHTS[:, :5])),
        ({"file": "s.tif"}, tiff(np.full((8, 12, 3), np.nan, np.float32), photometric="rgb")),
        ({"file": "s.tif"}, b"II*\0 and no more"),
        ({"file": "s.raw"}, bytes(7)),
    ],
    ids=lambda value: str(value) if isinstance(value, dict) else "",
)  # fmt: skip
def test_odd_splats_are_refused_and_not_taken_without_a_word(splat, file):
    with pytest.raises(FormatError) as error:
        read(splat=splat, file=file)
    assert error.value.problem and error.value.remedy


@pytest.mark.parametrize("regions", [{"along_each_edge": 5}, {"along_each_edge": 2, "splat_border": 8}])
def test_regions_that_do_not_fit_are_refused(regions):
    with pytest.raises(FormatError):
        read(regions=regions)


def test_a_region_is_not_told_by_five_thousand_digits():
    from ashblend.core.formats.heights.read import read_grids

    files = {f"g_{n}_{'7' * 5000}.npy": NPY.write(GREY) for n in range(2)}
    with pytest.raises(FormatError, match="too large a number"):
        read_grids(files)


@pytest.mark.parametrize(
    "head", [b"{'descr': '<f4', 'shape': (9, ", b"((((", b"'''", b"{'descr': [('a'," * 40]
)
def test_heads_that_are_no_python_are_refused(head):
    """NumPy's heads are a piece of Python: one that breaks off in a word ended in an error of the tokenizer."""
    from ashblend.core.formats.heights.read import read_grid

    data = b"\x93NUMPY\x01\x00" + len(head).to_bytes(2, "little") + head + bytes(400)
    with pytest.raises(FormatError, match="damaged"):
        read_grid("a.npy", data)


def test_regions_whose_whole_is_too_large_are_refused_before_the_others_are_read(monkeypatch):
    from ashblend.core.formats.heights import read

    seen = []

    def small(name, *_):
        seen.append(name)
        return read.Grid(np.zeros((1025, 1025), np.uint16), 65535)

    monkeypatch.setattr(read, "read_grid", small)
    with pytest.raises(FormatError, match="9,217"):
        read.read_grids({f"g_{c}_{r}.raw": b"" for c in range(9) for r in range(9)})
    assert len(seen) == 1
