"""Texels of a map as sites: where they lie, who is next to whom, what padding shows."""

import io

import numpy as np
import pytest
from PIL import Image
from shapes import box, cylinder, plane

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.reach import Reach
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import Channel, channel_of_values, empty_channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.images import read_image
from ashblend.core.formats.splat import splat_png
from ashblend.core.prepare.refine import refine_levels
from ashblend.core.prepare.sides import hard_border
from ashblend.core.prepare.uv_facts import best_map, uv_facts
from ashblend.core.sites.charts import chart_of_face
from ashblend.core.sites.layout import texel_place
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.uv_texels import UVTexels
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.kinds.texels import TexelSites
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shape import Shape


def texels_of(mesh: Mesh, size: int) -> UVTexels:
    return UVTexels(mesh, mesh_vertices(mesh).normals, size)


def every(texels: UVTexels):
    """All texels, row by row as an image has them."""
    own = np.flatnonzero(texels.owner).astype(np.uint32)
    return texels.window(own[np.argsort(texels.row_by_row(own))])


def image_of(texels: UVTexels, channel: Channel) -> np.ndarray:
    return np.rint(texels.image(lambda sites: channel.values(sites).astype(float))).astype(int)


def test_texels_of_a_plane_lie_where_its_map_says():
    size = 512
    texels = texels_of(plane(7, 2.0, uv=True), size)
    assert texels.count == size * size
    k = np.arange(size * size)
    expected = np.stack([(k % size + 0.5) / size, np.zeros(k.size), (k // size + 0.5) / size], axis=1) * 2
    found = every(texels)
    np.testing.assert_allclose(found.positions, expected, atol=1e-6)
    np.testing.assert_array_equal(found.normals, np.tile([0, 1, 0], (k.size, 1)))
    np.testing.assert_allclose(found.areas, (2 / size) ** 2, rtol=1e-4)


def test_a_square_of_numbers_is_a_square_of_the_map():
    texels = texels_of(plane(7, 2.0, uv=True), 512)
    first = texels.window(texels.in_tile(3)).positions
    assert first[:, [0, 2]].min() > 1.0, "the fourth square is the lower right quarter"
    assert texels.layout.tiles == 4 and texels.in_tile(3).size == 65_536


def test_texels_of_a_cylinder_lie_within_the_chord():
    """The facets lie r(1 − cos(π/n)) inside the cylinder at most; normals are the cylinder's."""
    around, radius, length = 48, 0.5, 1.5
    texels = texels_of(cylinder(around, 4, radius, length), 256)
    found = every(texels)
    at = texels.row_by_row(found.sites)
    u, v = (at % 256 + 0.5) / 256, (at // 256 + 0.5) / 256
    angle = 2 * np.pi * u
    analytic = np.stack([radius * np.cos(angle), length * (1 - v), -radius * np.sin(angle)], axis=1)
    chord = radius * (1 - np.cos(np.pi / around))
    # Along a facet the angle runs evenly in space, not in angle: a second small shift.
    assert np.linalg.norm(found.positions - analytic, axis=1).max() < 1.2 * chord
    np.testing.assert_allclose(found.positions[:, 1], analytic[:, 1], atol=1e-5)
    outward = analytic * [1, 0, 1] / radius
    assert np.einsum("ij,ij->i", found.normals, outward).min() > np.cos(np.pi / around)
    assert found.areas.sum() == pytest.approx(2 * np.pi * radius * length, rel=0.005)


@pytest.mark.parametrize("radius", [0.003, 0.02, 0.11, 0.6])
def test_a_ball_finds_the_texels_within_it_and_no_others(radius):
    """Against looking at all of them: on few large triangles, on many small ones, and on a bent map."""
    for mesh in (plane(2, 1.0, uv=True), plane(60, 1.0, uv=True), cylinder(24, 5, 0.3, 0.8)):
        texels = texels_of(mesh, 256)
        found = every(texels)
        for centre in found.positions[[1000, 30_000]] + np.float32(0.2 * radius):
            away = np.linalg.norm(found.positions.astype(float) - centre, axis=1)
            ids = set(texels.neighbourhood().ball(centre.astype(np.float32), radius).ids.tolist())
            clear = np.abs(away - radius) > 1e-6
            assert set(found.sites[(away < radius) & clear].tolist()) <= ids
            assert not ids & set(found.sites[(away > radius) & clear].tolist())


def test_skin_crosses_the_seam_of_a_cylinder_without_a_gap():
    texels = texels_of(cylinder(64, 6, 0.5, 1.5), 256)
    # On the seam, which lies at angle zero.
    centre, normal = np.array([0.5, 0.75, 0.0]), np.array([1.0, 0, 0])
    patch = Reach(texels, skin=True).around(centre, normal, 0.3, 180)
    found = every(texels)

    def arcs(positions):
        return np.arctan2(-positions[:, 2], positions[:, 0])

    arc = np.hypot(0.5 * arcs(found.positions), found.positions[:, 1] - 0.75)
    # What lies well inside is reached on both sides; distances are arcs to a few texels of the seam.
    assert set(found.sites[arc < 0.27].tolist()) <= set(patch.ids.tolist())
    texel = 2 * np.pi * 0.5 / 256
    reached = np.hypot(0.5 * arcs(patch.positions), patch.positions[:, 1] - 0.75)
    assert np.abs(patch.distances - reached).max() < 3 * texel
    assert (arcs(patch.positions) > 0.1).any() and (arcs(patch.positions) < -0.1).any()


def test_a_stroke_on_texels_is_one_on_a_fine_mesh():
    """The same stroke on 256² texels and on a mesh with a vertex at every texel's centre."""
    texels = texels_of(plane(5, 1.0, uv=True), 256)
    size = 256
    fine = plane(size, 1.0 - 1.0 / size)
    fine = Mesh(fine.positions + np.array([0.5 / size, 0, 0.5 / size], np.float32), fine.triangles)
    vertices = mesh_vertices(fine)
    results = []
    for sites in (texels, vertices):
        channel = empty_channel(sites.layout.extent)
        for reach in ("ball", "skin"):
            brush = Brush(radius=0.1, coat="many", flow=0.4, reach=reach)
            stroke = Stroke(sites, channel, 0, brush)
            stroke.extend(
                PointerSample(position=(x, 0, 0.4 + 0.3 * x), normal=(0, 1, 0)) for x in (0.2, 0.5, 0.8)
            )
            stroke.finish()
        results.append(channel.values().astype(int))
    on_texels = results[0][every(texels).sites]
    assert on_texels.max() > 0.5 * FULL
    assert np.abs(on_texels - results[1]).max() < 0.02 * FULL


def test_skin_stops_at_a_hard_border_within_a_chart():
    """The border runs through the middle of the map, where neither UV nor place tells its sides apart."""
    mesh = plane(9, 1.0, uv=True)
    right = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 0.5
    texels = texels_of(hard_border(mesh, right).mesh, 256)
    patch = Reach(texels, skin=True).around(np.array([0.48, 0, 0.5]), np.array([0.0, 1, 0]), 0.2, 180)
    assert patch.ids.size > 1000
    assert patch.positions[:, 0].max() < 0.5 + 1e-6, "nothing beyond the border is reached"
    through = Reach(texels_of(mesh, 256), skin=True).around(
        np.array([0.48, 0, 0.5]), np.array([0.0, 1, 0]), 0.2, 180
    )
    assert through.positions[:, 0].max() > 0.6, "without the border it is, or this test shows nothing"


def test_three_faces_at_one_edge_stay_one_chart_and_are_linked_over_seams():
    """A fin on a folded sheet: the third face at the edge is joined like the two others."""
    positions = np.array([[0, 0, 0], [1, 0, 0], [0, 0, 1], [0, 0, -1], [0, 1, 0]], np.float32)
    triangles = np.array([[0, 1, 2], [1, 0, 3], [0, 1, 4]], np.uint32)
    uv = np.array([[0.5, 0.5], [1, 0.5], [0.5, 1], [0.5, 0], [0.1, 0.5]], np.float32)
    assert len(set(chart_of_face(Mesh(positions, triangles, uvs=(uv,))).tolist())) == 1
    # The fin in a chart of its own: texels along the edge are linked to those of the others.
    corners = positions[triangles].reshape(-1, 3)
    apart = np.array(
        [[0.1, 0.1], [0.4, 0.1], [0.1, 0.4], [0.9, 0.1], [0.6, 0.1], [0.9, 0.4], [0.1, 0.6], [0.4, 0.6], [0.1, 0.9]],
        np.float32,
    )  # fmt: skip
    texels = texels_of(Mesh(corners, np.arange(9, dtype=np.uint32).reshape(-1, 3), uvs=(apart,)), 256)
    sources, targets = texels.links
    faces = {(int(texels.owner[a]), int(texels.owner[b])) for a, b in zip(sources, targets, strict=True)}
    assert {face for pair in faces for face in pair} == {1, 2, 3}


def test_padding_shows_the_nearest_site():
    # A map that covers a quarter only.
    mesh = plane(5, 1.0, uv=True)
    mesh = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[0] * np.float32(0.5),))
    texels = texels_of(mesh, 256)
    assert texels.count == 128 * 128
    padding, sources = texels.padding(3)
    rows = dict(zip(texels.row_by_row(padding).tolist(), texels.row_by_row(sources).tolist(), strict=True))
    for y in (0, 50, 127):
        for x in (128, 129, 130):
            assert rows[y * 256 + x] == y * 256 + 127
    assert all(at % 256 < 131 and at // 256 < 131 for at in rows)
    shown, whose = texels.shown_by(np.array(sorted(set(sources.tolist())), np.uint32))
    assert set(padding.tolist()) <= set(shown.tolist()) and shown.size == whose.size


def test_a_splat_map_goes_out_as_it_is_painted():
    texels = texels_of(plane(5, 1.0, uv=True), 512)
    ramp = np.zeros(texels.layout.extent, np.float32)
    found = every(texels)
    ramp[found.sites] = found.positions[:, 0]
    channels = [channel_of_values(ramp), channel_of_values(1 - ramp), empty_channel(texels.layout.extent)]
    image = np.asarray(Image.open(io.BytesIO(splat_png(texels, channels, 8))))
    assert image.shape == (512, 512, 4) and image.dtype == np.uint8
    expected = np.rint(found.positions[:, 0].reshape(512, 512) * 255)
    assert np.abs(image[..., 0] - expected).max() <= 1
    assert np.abs(image[..., 1].astype(int) - (255 - expected)).max() <= 1
    assert not image[..., 2].any() and not image[..., 3].any()
    deep = read_image(splat_png(texels, channels, 16))
    np.testing.assert_array_equal(deep[..., 0].reshape(-1), channels[0].values(found.sites))


def test_values_convert_between_vertices_and_texels():
    mesh = plane(17, 1.0, uv=True)
    vertices, texels = mesh_vertices(mesh), texels_of(mesh, 512)
    linear = mesh.positions[:, 0].astype(float) * 0.7 + 0.1
    found = every(texels)
    sample = vertices.sample(texels.on_surface(found.sites))
    there = (linear[sample.sites] * sample.shares).sum(axis=1)
    np.testing.assert_allclose(there, found.positions[:, 0] * 0.7 + 0.1, atol=1e-5)
    held = np.zeros(texels.layout.extent)
    held[found.sites] = there
    sample = texels.sample(vertices.on_surface(np.arange(vertices.count, dtype=np.uint32)))
    back = (held[sample.sites] * sample.shares).sum(axis=1)
    # At the map's edge the outermost texels are shown, half a texel inside.
    assert np.abs(back - linear).max() < 0.7 * 0.5 / 512 + 1e-6


def test_texels_take_over_their_paint_when_the_mesh_is_refined_or_replaced():
    mesh = plane(5, 1.0, uv=True)
    before = Shape(mesh)
    old = before.texels(256)
    rng = np.random.default_rng(0)
    cover = rng.integers(0, FULL + 1, old.layout.extent).astype(np.uint16)
    channel = Channel(cover, (cover // 2).astype(np.uint16))
    refined = refine_levels(mesh, 1, 10**5)
    change = MeshChange(before, Shape(refined.mesh), {0: refined.lineage})
    (kept,) = TexelSites(size=256).moved((channel,), change, TexelSites(size=256))
    np.testing.assert_array_equal(kept.cover, channel.cover)
    # Another mesh with another map: turned by a right angle.
    turned = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[0][:, ::-1].copy(),))
    change = MeshChange(before, Shape(turned), {0: ()}, same_map=False)
    (moved,) = TexelSites(size=256).moved((channel,), change, TexelSites(size=256))
    image, origin = image_of(change.after.texels(256), moved), image_of(old, channel)
    assert (image == origin.T).mean() > 0.999


def two_maps() -> Mesh:
    """A plane whose first UVs tile, and whose second ones are a map, turned by a right angle."""
    flat = plane(5, 1.0, uv=True)
    own = flat.uvs[0]
    return Mesh(flat.positions, flat.triangles, uvs=(own * np.float32(3), own[:, ::-1].copy()))


def test_a_map_may_lie_over_another_uv_set():
    mesh = two_maps()
    shape = Shape(mesh)
    first, second = TexelSites(size=256), TexelSites(size=256, uv=1)
    assert best_map(mesh) == 1 and "Choose UV set 2" in first.note(shape) and second.note(shape) == ""
    texels = second.sites(shape)
    here = every(texels)
    assert len(here.sites) == 256 * 256
    # u runs along z on this one.
    column, row = texel_place(here.sites, 256)
    np.testing.assert_allclose(here.positions[:, 2], (column + 0.5) / 256, atol=1e-6)
    np.testing.assert_allclose(here.positions[:, 0], (row + 0.5) / 256, atol=1e-6)
    with pytest.raises(Refusal, match="no UV set 3"):
        TexelSites(uv=2).require_addable(shape)


def test_a_map_over_another_uv_set_follows_it_when_the_mesh_changes():
    mesh = two_maps()
    kind = TexelSites(size=256, uv=1)
    before = Shape(mesh)
    old = kind.sites(before)
    cover = np.random.default_rng(0).integers(0, FULL + 1, old.layout.extent).astype(np.uint16)
    channel = Channel(cover, (cover // 2).astype(np.uint16))

    def after(changed: Mesh, **said) -> tuple[TexelSites, np.ndarray]:
        change = MeshChange(before, Shape(changed), {0: ()}, **said)
        to = kind.after(change)
        (moved,) = kind.moved((channel,), change, to)
        return to, image_of(to.sites(change.after), moved)

    was = image_of(old, channel)
    # Unwrapped: a new set stands first, and the second is the third now.
    new_first = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[1] * np.float32(0.9), *mesh.uvs))
    to, image = after(new_first, shifted=1)
    assert to.uv == 2 and np.array_equal(image, was)
    # Another version of the mesh with one UV set alone, turned against that one: found by place.
    to, image = after(
        Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[1][:, ::-1].copy(),)), same_map=False
    )
    assert to.uv == 0 and (image == was.T).mean() > 0.999


def test_without_uvs_there_are_no_texels():
    with pytest.raises(ValueError, match="no UVs"):
        texels_of(plane(3, 1.0), 256)
    outside = plane(3, 1.0, uv=True)
    far = Mesh(outside.positions, outside.triangles, uvs=(outside.uvs[0] + np.float32(5),))
    with pytest.raises(ValueError, match="between 0 and 1"):
        texels_of(far, 256)


def doubled(mesh: Mesh, uvs: np.ndarray) -> Mesh:
    """The mesh and a second one beside it, with UVs for both."""
    return Mesh(
        np.concatenate([mesh.positions, mesh.positions + np.float32(3)]),
        np.concatenate([mesh.triangles, mesh.triangles + np.uint32(mesh.vertex_count)]),
        uvs=(uvs.astype(np.float32),),
    )


def test_what_uvs_are_good_for_is_told():
    whole = plane(65, 1.0, uv=True)
    facts = uv_facts(whole, 0)
    assert facts.kind == "own" and facts.own > 0.995 and facts.tiles == pytest.approx(1)
    # A second sheet on the same place of the map.
    twice = uv_facts(doubled(whole, np.concatenate([whole.uvs[0], whole.uvs[0]])), 0)
    assert twice.kind == "overlapping" and twice.shared == pytest.approx(0.5, abs=0.02)
    # A quarter of three tiles by three lies inside the map.
    tiled = uv_facts(Mesh(whole.positions, whole.triangles, uvs=(whole.uvs[0] * np.float32(2),)), 0)
    assert tiled.kind == "tiling" and tiled.outside == pytest.approx(0.75, abs=0.01)
    assert tiled.tiles == pytest.approx(2) and tiled.own == pytest.approx(0.25, abs=0.01)
    # Side by side in one map they are as good as one.
    beside = np.concatenate([whole.uvs[0] * [0.49, 1], whole.uvs[0] * [0.49, 1] + [0.51, 0]])
    assert uv_facts(doubled(whole, beside), 0).own > 0.99
    # Both sides of a fine mesh under a texel, and a flat projection of a box: its sides share what its top shows.
    fine = plane(600, 1.0, uv=True)
    assert uv_facts(fine, 0).own > 0.99
    cube = box()
    flat = uv_facts(Mesh(cube.positions, cube.triangles, uvs=(cube.positions[:, :2] + np.float32(0.5),)), 0)
    assert flat.shared > 0.3


def test_a_map_costs_little_memory_and_none_where_nothing_is_painted():
    """Four bytes a texel for the map itself, and two for each plane where it was written."""
    texels = texels_of(plane(9, 1.0, uv=True), 1024)
    assert texels.owner.nbytes == 4 * 1024 * 1024
    own = sum(a.nbytes for a in (*texels.gutter, *texels.links))
    assert own < 0.2 * texels.owner.nbytes
