"""Any height map as a file, or many that are regions of one. A new format is one new file and one line in FORMATS."""

from collections.abc import Mapping
from pathlib import PurePath

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.exr import EXR
from ashblend.core.formats.heights.format import MOST_EDGE, Grid, HeightFormat, RawLayout
from ashblend.core.formats.heights.npy import NPY
from ashblend.core.formats.heights.png import PNG
from ashblend.core.formats.heights.raw import RAW
from ashblend.core.formats.heights.regions import joined_regions, region_places
from ashblend.core.formats.heights.tiff import TIFF

FORMATS: tuple[HeightFormat, ...] = (PNG, RAW, TIFF, EXR, NPY)
SUFFIXES: Mapping[str, HeightFormat] = {suffix: form for form in FORMATS for suffix in form.suffixes}


def format_of(name: str) -> HeightFormat | None:
    """The format that a file's name says, or None."""
    return SUFFIXES.get(PurePath(name).suffix.lower())


def read_grid(name: str, data: bytes, layout: RawLayout | None = None, budget: Budget | None = None) -> Grid:
    """The numbers of one height map. layout: of a raw file, where its guess is overruled. Raises FormatError.

    budget: what is left of the upload that it came in; its own where it came alone.
    """
    form = format_of(name)
    if form is None:
        raise FormatError(
            f"{name} is no height map that is known here.",
            f"Save it as one of {', '.join(sorted(SUFFIXES))}.",
        )
    grid = form.read(name, data, layout, budget or Budget(len(data)))
    if max(grid.values.shape) > MOST_EDGE or min(grid.values.shape) < 2:
        raise _wrong_size(name, *grid.values.shape)
    return grid


def _wrong_size(name: str, rows: int, cols: int) -> FormatError:
    return FormatError(
        f"{name} has {cols:,} × {rows:,} heights; from 2 to {MOST_EDGE:,} along each edge can be painted here.",
        "Crop or resample it.",
    )


def read_grids(files: Mapping[str, bytes], layout: RawLayout | None = None) -> Grid:
    """One height map, or many that are square regions of one, told apart by two numbers in their names.

    Raises FormatError.
    """
    if len(files) == 1:
        ((name, data),) = files.items()
        return read_grid(name, data, layout)
    places = region_places(list(files))
    budget = Budget(sum(map(len, files.values())))
    grids: dict[tuple[int, int], Grid] = {}
    across, down = (1 + max(place[axis] for place in places.values()) for axis in (0, 1))
    for name, data in files.items():
        grid = grids[places[name]] = read_grid(name, data, layout, budget)
        # Before the others are read: regions that share their edges are one row and column less each.
        whole = ((grid.values.shape[0] - 1) * down + 1, (grid.values.shape[1] - 1) * across + 1)
        if max(whole) > MOST_EDGE:
            raise _wrong_size("The whole", *whole)
    first = next(iter(grids.values()))
    if any(g.most != first.most for g in grids.values()):
        raise FormatError("The regions are not all of one depth.", "Save them all alike.")
    values, shared = joined_regions({place: g.values for place, g in grids.items()})
    if max(values.shape) > MOST_EDGE:
        raise _wrong_size("The whole", *values.shape)
    note = f"{len(grids)} regions, {across} × {down}, put together; their edges are {'shared' if shared else 'side by side'}."
    notes = dict.fromkeys(note for g in grids.values() for note in g.notes)
    return Grid(values, first.most, (note, *notes), first.raw)
