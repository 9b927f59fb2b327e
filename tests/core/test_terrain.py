"""Terrain: where heights and cells lie, one brush on a mesh and on a terrain, formats, holes, steps, regions."""

import io
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from shapes import plane

from ashblend.core.brush.document import Brush, BrushNoise, PointerSample
from ashblend.core.brush.path import smooth_way
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.heights.format import RawLayout
from ashblend.core.formats.heights.read import FORMATS, read_grid, read_grids
from ashblend.core.formats.heights.regions import joined_regions, region_places, region_spans
from ashblend.core.formats.heights.stored import packed_files
from ashblend.core.formats.splat_files import WRITERS, unpacked
from ashblend.core.formats.splat_steps import bayer, ordered_to_sum, rounded, summing_steps
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.protocol import windows
from ashblend.core.surface.banded import STEEP, bands
from ashblend.core.surface.shapes import shape_of
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.frame import Frame, terrain_mesh
from ashblend.core.terrain.holes import mended
from ashblend.core.terrain.resample import resampled
from ashblend.core.terrain.sites import CELLS, CORNERS, TerrainSites
from ashblend.core.terrain.soften import softened
from ashblend.core.terrain.taken import Crop, Resample, Taking, first_taking, grid_facts, taken
from ashblend.core.terrain.terrain import terrain_of

grids = st.tuples(st.integers(2, 40), st.integers(2, 40))


def tilted(rows: int, cols: int, spacing: float, a: float, b: float, c: float) -> np.ndarray:
    """Heights of the plane y = a x + b z + c, x and z from the middle in metres."""
    x = (np.arange(cols) - (cols - 1) / 2) * spacing
    z = (np.arange(rows) - (rows - 1) / 2) * spacing
    return (a * x[None] + b * z[:, None] + c).astype(np.float32)


def every_site(sites: TerrainSites) -> np.ndarray:
    return np.concatenate([sites.in_tile(tile) for tile in range(sites.layout.tiles)])


# Registration


@given(grids, grids, st.sampled_from([0.5, 1.0, 3.0]), st.floats(-2, 2), st.floats(-2, 2))
@settings(deadline=None)
def test_cells_and_corners_of_a_plane_lie_on_it(shape, cells, spacing, a, b):
    """Heights are samples at corners and cells sample between them: on a plane, everything lies on the plane."""
    heights = tilted(*shape, spacing, a, b, 7.0)
    terrain = terrain_of(heights, spacing)
    assert terrain.width == (shape[1] - 1) * spacing
    field = HeightField(terrain)
    normal = np.array([-a, 1, -b]) / np.sqrt(a * a + b * b + 1)
    for sites in (TerrainSites(field, *cells, CELLS), TerrainSites(field, *shape, CORNERS)):
        window = sites.window(every_site(sites))
        x, y, z = window.positions.astype(np.float64).T
        reach = np.abs(heights).max() + terrain.width + terrain.depth
        assert np.abs(y - (a * x + b * z + 7)).max() < 1e-6 * reach * (1 + abs(a) + abs(b))
        assert np.abs(window.normals - normal).max() < 1e-4
        assert np.abs(x).max() <= terrain.width / 2 + 1e-5 and np.abs(z).max() <= terrain.depth / 2 + 1e-5
        # Areas of all sites are the area of the plane.
        whole = terrain.width * terrain.depth / normal[1]
        assert window.areas.sum(dtype=np.float64) == pytest.approx(whole, rel=1e-4)


def test_1025_at_a_metre_span_1024_and_cells_lie_between_corners():
    terrain = terrain_of(np.zeros((5, 5), np.float32), 1.0)
    assert terrain_of(np.zeros((1025, 1025), np.float32), 1.0).width == 1024
    field = HeightField(terrain)
    corners, cells = TerrainSites(field, 5, 5, CORNERS), TerrainSites(field, 4, 4, CELLS)
    assert sorted(set(corners.window(every_site(corners)).positions[:, 0])) == [-2, -1, 0, 1, 2]
    assert sorted(set(cells.window(every_site(cells)).positions[:, 0])) == [-1.5, -0.5, 0.5, 1.5]


@given(grids, st.integers(0, 2**31))
@settings(deadline=None, max_examples=40)
def test_a_place_is_told_by_the_frame_and_found_again(shape, seed):
    random = np.random.default_rng(seed)
    terrain = terrain_of(random.random(shape).astype(np.float32), 1.0)
    frame = Frame(terrain)
    over = random.random((50, 2))
    places = frame.places(over)
    assert places.faces.max() < frame.triangles and places.shares.min() >= -1e-12
    assert np.allclose(places.shares.sum(axis=1), 1)
    assert np.abs(frame.over(places) - over).max() < 1e-12
    # Corners by their shares lie where the place does.
    mesh = frame.mesh(terrain.heights)
    assert (
        np.abs((mesh.uvs[0][mesh.triangles[places.faces]] * places.shares[..., None]).sum(1) - over).max()
        < 1e-6
    )


@given(grids, grids, st.integers(0, 2**31))
@settings(deadline=None, max_examples=40)
def test_sampling_is_exact_at_sites_and_clamped_beyond_them(shape, cells, seed):
    random = np.random.default_rng(seed)
    terrain = terrain_of(random.random(shape).astype(np.float32), 1.0)
    sites = TerrainSites(HeightField(terrain), *cells, CELLS)
    all_of = every_site(sites)
    sample = sites.sample(sites.on_surface(all_of))
    assert np.allclose(sample.shares.sum(axis=1), 1)
    own = (sample.shares * (sample.sites == all_of[:, None])).sum(axis=1)
    assert own.min() > 1 - 1e-9
    corner = sites.sample(Frame(terrain).places(np.array([[0.0, 0.0], [1.0, 1.0]])))
    held = [set(row[share > 1e-12]) for row, share in zip(corner.sites, corner.shares, strict=True)]
    assert held == [
        {int(all_of[0])},
        {int(sites.number(np.array([cells[1] - 1]), np.array([cells[0] - 1]))[0])},
    ]


# One brush


def flat_pair():
    mesh = plane(33, 32.0)
    mesh = replace(mesh, positions=mesh.positions - np.array([16, 0, 16], np.float32))
    field = HeightField(terrain_of(np.zeros((33, 33), np.float32), 1.0))
    sites = TerrainSites(field, 33, 33, CORNERS)
    return mesh_vertices(mesh), sites, sites.number(*np.meshgrid(np.arange(33), np.arange(33))).reshape(-1)


BRUSHES = [
    {"act": "paint", "falloff": "smooth", "reach": "ball"},
    {"act": "paint", "falloff": "linear", "reach": "skin", "coat": "many", "flow": 0.4},
    {"act": "add", "falloff": "dome", "reach": "skin", "target": 0.3},
    {"act": "smooth", "falloff": "flat", "reach": "ball"},
    {"act": "sharpen", "falloff": "smooth", "reach": "skin"},
    {"act": "smear", "falloff": "smooth", "reach": "ball"},
    {"act": "paint", "falloff": "smooth", "reach": "ball", "noise": BrushNoise(metres=3, amount=0.7)},
]


@pytest.mark.parametrize("brush", BRUSHES, ids=lambda b: f"{b['act']}-{b['reach']}-{'noise' in b}")
def test_the_same_stroke_on_a_flat_mesh_and_a_flat_terrain_is_the_same_to_the_bit(brush):
    on_mesh, on_terrain, numbers = flat_pair()
    wanted = Brush.model_validate({"radius": 5.0, "strength": 0.8, "target": 1.0, **brush})
    path = [PointerSample(position=(-9 + 2.3 * k, 0, 1.7 * np.sin(k)), normal=(0, 1, 0)) for k in range(8)]
    held = []
    for sites, index in ((on_mesh, np.arange(33 * 33)), (on_terrain, numbers)):
        channel = empty_channel(sites.layout.extent, 0.2)
        # Something to smooth, sharpen and drag.
        first = Brush(act="paint", radius=4.0, strength=1.0, target=1.0, falloff="flat", reach="ball")
        for stroke_brush, samples in (
            (first, [PointerSample(position=(0, 0, 0), normal=(0, 1, 0))]),
            (wanted, path),
        ):
            stroke = Stroke(sites, channel, 0, stroke_brush)
            stroke.extend(samples)
            stroke.finish()
        held.append((channel.cover[index], channel.paint[index]))
    assert (
        held[0][0].any() and np.array_equal(held[0][0], held[1][0]) and np.array_equal(held[0][1], held[1][1])
    )


def test_windows_cover_every_site_once():
    sites = TerrainSites(HeightField(terrain_of(np.zeros((300, 520), np.float32), 2.0)), 300, 520, CORNERS)
    seen = np.concatenate([w.sites for w in windows(sites)])
    assert len(set(seen.tolist())) == sites.count == 300 * 520
    rows = sites.image(lambda s: sites.column_and_row(s)[1].astype(np.float64))
    assert np.array_equal(rows, np.repeat(np.arange(300.0)[:, None], 520, axis=1))


# Heights that are painted


@given(st.integers(0, 2**31), st.floats(0.01, 50))
@settings(deadline=None, max_examples=40)
def test_heights_nobody_painted_stay_to_the_bit_and_painted_ones_move_by_whole_steps(seed, scale):
    random = np.random.default_rng(seed)
    base = (random.standard_normal((9, 12)) * scale).astype(np.float32)
    field = HeightField(terrain_of(base, 1.0))
    rows, cols = (part.reshape(-1) for part in np.mgrid[:9, :12])
    first = field.steps_of(base.reshape(-1))
    assert not field.take(rows, cols, first) and field.heights.tobytes() == base.tobytes()
    by = random.integers(-50, 50, first.shape)
    assert field.take(rows, cols, (first + by).astype(np.uint16))
    wanted = base.reshape(-1).astype(np.float64) + by * field.step
    assert np.abs(field.heights.reshape(-1) - wanted).max() < 1e-5 * (np.abs(wanted).max() + 1)
    field.take(rows, cols, first)
    assert field.heights.tobytes() == base.tobytes()


def test_a_measure_and_facts_follow_ground_that_moved():
    shape = shape_of(terrain_mesh(terrain_of(tilted(33, 33, 1.0, 0.2, 0, 10), 1.0)))
    before, lie = shape.facts()["terrain"]["highest"], shape.lie
    at = np.array([16])
    shape.steered(at, at, np.array([65535], np.uint16))
    assert shape.facts()["terrain"]["highest"] > before + 5 and shape.lie != lie
    inputs = shape.inputs()
    middle = inputs.on_triangles(*vars(Frame(shape.mesh.terrain).places(np.array([[0.5, 0.5]]))).values())
    assert middle["position"][0, 1] + inputs.origin[1] == pytest.approx(shape.field.heights[16, 16])


# Formats


@given(
    st.data(),
    st.sampled_from([(f, d) for f in FORMATS for d in f.depths]),
    st.tuples(st.integers(2, 33), st.integers(2, 33)),
)
@settings(deadline=None, max_examples=60)
def test_every_format_gives_back_what_it_was_given(data, form, shape):
    kind, depth = form
    if depth == "16":
        values = data.draw(hnp.arrays(np.uint16, shape))
    else:
        values = data.draw(hnp.arrays(np.float32, shape, elements=st.floats(-1e4, 1e4, width=32)))
    layout = RawLayout(cols=shape[1], rows=shape[0]) if kind.name == "raw" else None
    grid = read_grid(f"a{kind.suffixes[0]}", kind.write(values), layout)
    assert grid.values.dtype == values.dtype and np.array_equal(grid.values, values)
    assert grid.most == (65535 if depth == "16" else None)


@given(st.sampled_from([33, 64, 65, 129]), st.sampled_from(["<u2", ">u2"]), st.integers(0, 2**31))
@settings(deadline=None, max_examples=30)
def test_size_and_order_of_bare_numbers_are_guessed(edge, kind, seed):
    y, x = np.mgrid[:edge, :edge] / edge
    random = np.random.default_rng(seed)
    ground = (
        20000
        + 9000 * np.sin(5 * x + random.random()) * np.cos(4 * y)
        + 40 * random.standard_normal((edge, edge))
    )
    values = ground.astype(np.uint16)
    grid = read_grid("a.raw", values.astype(kind).tobytes())
    assert np.array_equal(grid.values, values)
    assert grid.raw == RawLayout(cols=edge, rows=edge, order="little" if kind[0] == "<" else "big")


def test_rectangles_with_a_usual_edge_are_guessed():
    grid = read_grid("a.r16", bytes(2 * 257 * 100))
    assert grid.values.shape in ((100, 257), (257, 100))


def broken_heights():
    whole = np.arange(64, dtype=np.uint16).reshape(8, 8)
    for form in FORMATS:
        data = form.write(whole if "16" in form.depths else whole.astype(np.float32))
        for cut in (0, 1, 9, len(data) // 2, len(data) - 3):
            yield form.name, f"a{form.suffixes[0]}", data[:cut]
        for at in range(0, min(len(data), 120), 7):
            yield form.name, f"a{form.suffixes[0]}", data[:at] + bytes([data[at] ^ 0xFF]) + data[at + 1 :]
    head = io.BytesIO()
    np.lib.format.write_array_header_1_0(
        head, {"descr": "<f4", "fortran_order": False, "shape": (10**9, 10**9)}
    )
    yield "NPY", "a.npy", head.getvalue()
    yield (
        "NPY",
        "a.npy",
        b"\x93NUMPY\x01\x00\x46\x00{'descr': '|O', 'fortran_order': False, 'shape': (2, 2), }"
        + b" " * 9
        + b"\n",
    )
    yield "none", "a.jpg", b"1234"


def test_broken_heights_are_refused_in_words_and_take_no_memory():
    refused = 0
    for _, name, data in broken_heights():
        try:
            grid = read_grid(name, data)
        except FormatError as error:
            assert error.problem and error.remedy
            refused += 1
        else:
            assert max(grid.values.shape) <= 8193
    assert refused > 40


def test_a_tiff_that_claims_more_than_it_can_hold_is_refused():
    import tifffile

    out = io.BytesIO()
    tifffile.imwrite(out, np.zeros((16, 16), np.float32), metadata=None)
    out.seek(0)
    with tifffile.TiffFile(out, mode="r+b") as file:
        for name in ("ImageWidth", "ImageLength", "RowsPerStrip"):
            file.pages[0].tags[name].overwrite(8000)
    with pytest.raises(FormatError, match="far more"):
        read_grid("a.tif", out.getvalue())


# Regions


@given(st.integers(1, 4), st.integers(1, 4), st.integers(2, 9), st.booleans(), st.integers(0, 2**31))
@settings(deadline=None, max_examples=40)
def test_regions_come_together_as_they_were_cut(across, down, each, shared, seed):
    overlap = 1 if shared else 0
    shape = (down * each + overlap, across * each + overlap)
    whole = np.random.default_rng(seed).integers(0, 65535, shape).astype(np.uint16)
    rows, cols = region_spans(shape[0], down, overlap), region_spans(shape[1], across, overlap)
    parts = {(c, r): whole[rows[r], cols[c]] for r in range(down) for c in range(across)}
    joined, told = joined_regions(parts)
    if across * down == 1:
        assert np.array_equal(joined, whole)
        return
    # Random edges are never alike by chance.
    assert told == shared and np.array_equal(joined, whole)


def test_names_say_which_region_a_file_is():
    assert region_places(["a_x3_y7.png", "a_x4_y7.png"]) == {"a_x3_y7.png": (0, 0), "a_x4_y7.png": (1, 0)}
    assert region_places(["t_r1_c2.raw", "t_r2_c2.raw"]) == {"t_r1_c2.raw": (0, 0), "t_r2_c2.raw": (0, 1)}
    assert region_places(["7_3.png", "8_3.png"])["8_3.png"] == (1, 0)
    for names in (["a.png", "b.png"], ["a_0_0.png", "b_0_0.png"], ["a_0_0.png", "a_1_1.png"]):
        with pytest.raises(FormatError):
            region_places(names)


def test_unlike_regions_and_empty_zips_are_refused():
    with pytest.raises(FormatError, match="unlike sizes"):
        joined_regions({(0, 0): np.zeros((4, 4)), (1, 0): np.zeros((4, 5))})
    packed = io.BytesIO()
    zipfile.ZipFile(packed, "w").close()
    with pytest.raises(FormatError, match="empty"):
        packed_files({"a.zip": packed.getvalue()}, Limits())
    eight, sixteen = np.zeros((4, 4), np.uint8), np.zeros((4, 4), np.uint16)
    with pytest.raises(FormatError, match="one depth"):
        read_grids({"a_0_0.npy": FORMATS[-1].write(eight), "a_1_0.npy": FORMATS[-1].write(sixteen)})


# What is done about odd heights


@given(st.integers(0, 2**31), st.floats(0.02, 0.9))
@settings(deadline=None, max_examples=30)
def test_holes_are_filled_within_what_lies_around_and_nothing_else_moves(seed, share):
    random = np.random.default_rng(seed)
    heights = (random.random((20, 31)) * 50).astype(np.float32)
    holes = random.random(heights.shape) < share
    holes[0, 0] = False
    out = mended(np.where(holes, np.float32(np.nan), heights))
    assert np.array_equal(out[~holes], heights[~holes])
    assert out.min() >= heights[~holes].min() - 1e-4 and out.max() <= heights[~holes].max() + 1e-4


def test_a_hole_in_a_plane_is_nearly_the_plane():
    heights = tilted(64, 64, 1.0, 0.1, 0.05, 3)
    broken = heights.copy()
    broken[30:33, 30:33] = np.nan
    assert np.abs(mended(broken) - heights).max() < 0.2
    with pytest.raises(ValueError, match="no height"):
        mended(np.full((4, 4), np.nan, np.float32))


def test_softened_steps_would_be_stored_as_the_same_numbers_and_slopes_are_nearer():
    smooth = tilted(128, 128, 1.0, 0.03, 0.02, 30)
    stepped = np.rint(smooth).astype(np.float32)
    out = softened(stepped, 1.0)
    assert np.abs(out - stepped).max() <= 0.5 + 1e-5
    inner = np.s_[16:-16, 16:-16]
    assert np.abs(out - smooth)[inner].max() < 0.25 * np.abs(stepped - smooth)[inner].max()


@given(st.sampled_from([(65, 65), (33, 49), (120, 80)]), st.sampled_from([(65, 65), (129, 97), (17, 33)]))
@settings(deadline=None)
def test_resampled_planes_are_planes_over_the_same_span(shape, to):
    x, y = np.linspace(0, 1, shape[1]), np.linspace(0, 1, shape[0])
    wanted = np.linspace(0, 1, to[1])[None] * 5 + np.linspace(0, 1, to[0])[:, None] * 3
    out = resampled((x[None] * 5 + y[:, None] * 3).astype(np.float32), *to)
    inner = np.s_[to[0] // 6 : -to[0] // 6, to[1] // 6 : -to[1] // 6]
    assert out.shape == to and np.abs(out - wanted)[inner].max() < 0.01
    assert np.abs(out - wanted).max() < 0.35


def test_taking_crops_scales_and_says_what_does_not_fit():
    values = np.arange(100, dtype=np.uint16).reshape(10, 10) * 600
    facts = grid_facts(values, 65535)
    assert facts.steps == 100 or facts.steps == 0
    first = first_taking(facts, 65535)
    assert first.high > 0 and not first.mend
    terrain = taken(
        values, 65535, Taking(low=-10, high=90, spacing=2, crop=Crop(left=2, top=3, cols=5, rows=4))
    )
    assert (terrain.rows, terrain.cols) == (4, 5)
    assert terrain.heights[0, 0] == pytest.approx(-10 + 100 * int(values[3, 2]) / 65535, abs=1e-4)
    finer = taken(values, 65535, Taking(high=10, spacing=2, resample=Resample(cols=19, rows=19)))
    assert finer.spacing == pytest.approx(1.0) and finer.width == pytest.approx(18.0)
    for wrong in ({"crop": Crop(left=5, top=5, cols=9, rows=9)}, {"resample": Resample(cols=19, rows=9)}):
        with pytest.raises(ValueError, match=r"reaches beyond|farther apart"):
            taken(values, 65535, Taking(high=10, **wrong))


# Splat steps


@given(
    st.lists(hnp.arrays(np.float64, (4, 5), elements=st.floats(0, 1)), min_size=1, max_size=8),
    st.sampled_from([4, 8, 16]),
)
@settings(deadline=None, max_examples=60)
def test_ordered_layers_become_weights_that_sum_to_one_exactly(weights, bits):
    shares = ordered_to_sum(weights)
    assert np.abs(sum(shares) - 1).max() < 1e-12
    # Against layers laid one over another: a colour a layer, the ground's the first.
    colours = np.arange(len(shares)) * 0.37 + 0.1
    laid = np.full((4, 5), colours[0])
    for weight, colour in zip(weights, colours[1:], strict=True):
        laid = laid * (1 - weight) + weight * colour
    assert np.abs(sum(s * c for s, c in zip(shares, colours, strict=True)) - laid).max() < 1e-12
    steps = summing_steps(shares, bits)
    most = 2**bits - 1
    total = sum(s.astype(np.int64) for s in steps)
    assert total.max() <= most
    for share, step in zip(shares[1:], steps, strict=True):
        assert np.abs(step / most - share).max() <= 1 / most + 1e-12


@given(hnp.arrays(np.float64, (16, 16), elements=st.floats(0, 1)), st.sampled_from([4, 8, 16]), st.booleans())
@settings(deadline=None, max_examples=60)
def test_rounding_stays_within_half_a_step_and_dither_within_one(weights, bits, dither):
    most = 2**bits - 1
    steps = rounded(weights, bits, dither)
    assert np.abs(steps / most - weights).max() <= (1.0 if dither else 0.5) / most + 1e-12
    whole = rounded(np.rint(weights * most) / most, bits, dither)
    assert np.array_equal(whole, np.rint(weights * most))


def test_dither_keeps_the_mean_and_fits_together_over_parts():
    assert sorted(bayer(8).reshape(-1) * 64) == pytest.approx(np.arange(64) + 0.5)
    even = np.full((64, 64), 0.3137)
    assert rounded(even, 4, True).mean() / 15 == pytest.approx(0.3137, abs=1 / 15 / 64)
    # Where parts begin is no whole number of the pattern.
    parts = np.concatenate([rounded(even[:, :21], 4, True), rounded(even[:, 21:], 4, True, left=21)], axis=1)
    assert np.array_equal(parts, rounded(even, 4, True))
    parts = np.concatenate([rounded(even[:13], 4, True), rounded(even[13:], 4, True, top=13)])
    assert np.array_equal(parts, rounded(even, 4, True))


@given(st.integers(0, 2**31), st.sampled_from([4, 8, 16]), st.sampled_from([1, 2, 4]))
@settings(deadline=None, max_examples=30)
def test_packed_numbers_come_apart_again(seed, bits, channels):
    steps = np.random.default_rng(seed).integers(0, 2**bits, (6, 7, channels)).astype(np.uint16)
    values = np.load(io.BytesIO(WRITERS["npy"].write(steps, bits)))
    assert np.array_equal(unpacked(values, bits, channels), steps)
    assert values.nbytes == 6 * 7 * max(channels * bits // 8, 1)
    assert FULL == 65535


@given(st.integers(0, 2**31), st.integers(3, 7))
@settings(deadline=None, max_examples=30)
def test_a_path_is_the_centripetal_curve_through_its_points(seed, count):
    """As cubic Hermite pieces with the tangents of Yuksel et al. (2011), evaluated by SciPy."""
    from scipy.interpolate import CubicHermiteSpline

    points = np.random.default_rng(seed).normal(size=(count, 3)) * 10
    wide = np.concatenate([[2 * points[0] - points[1]], points, [2 * points[-1] - points[-2]]])
    knots = np.concatenate([[0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(wide, axis=0), axis=1)))])
    t = knots[:, None]
    back, on, both = (
        (wide[1:-1] - wide[:-2]) / (t[1:-1] - t[:-2]),
        (wide[2:] - wide[1:-1]) / (t[2:] - t[1:-1]),
        (wide[2:] - wide[:-2]) / (t[2:] - t[:-2]),
    )
    curve = CubicHermiteSpline(knots[1:-1], points, back - both + on)
    way = smooth_way(points, 0.05)
    # Every place of ours lies on it, and as many as it takes lie between two picked ones.
    fine = curve(np.linspace(knots[1], knots[-2], 60_000))
    from scipy.spatial import cKDTree

    assert cKDTree(fine).query(way)[0].max() < 0.005
    assert cKDTree(way).query(points)[0].max() < 1e-9


def test_gentle_ground_has_no_steep_band():
    """A band that is called steep is steep, on the flattest terrain, too."""
    line = np.linspace(0, 6, 65)
    gentle = (np.sin(line)[:, None] + np.cos(line)[None]).astype(np.float32)
    steep = next(band for band in bands(gentle, 4.0) if band.name == "Steep")
    assert steep.recipe.terms[0].low >= STEEP


@pytest.mark.parametrize("size, whole, shared", [(16, 32, False), (17, 33, True), (20, 40, False)])
def test_regions_of_a_level_sea_keep_their_rows(size, whole, shared):
    """Alike on both sides of any border: how many there are tells, and where it does not, nothing is left out."""
    sea = np.zeros((size, size), np.float32)
    values, alike = joined_regions({(c, r): sea for c in range(2) for r in range(2)})
    assert values.shape == (whole, whole) and alike is shared


def test_bare_numbers_of_no_likely_size_are_asked_about():
    """136 × 179 was read as 1432 × 17, with the other order of bytes."""
    data = np.arange(136 * 179, dtype="<u2").tobytes()
    with pytest.raises(FormatError, match="Say how many columns"):
        read_grid("a.raw", data)
    assert read_grid("a.raw", data, RawLayout(cols=179, rows=136)).values.shape == (136, 179)
