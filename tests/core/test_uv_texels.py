"""Texels of a map as sites: where they lie, who is next to whom, what padding shows."""

import io

import numpy as np
import pytest
from PIL import Image
from shapes import cylinder, plane

from ashblend.core.brush import Brush, PointerSample, Reach, Skin, Stroke, StrokeRoom
from ashblend.core.channels import FULL, Channel, channel_of_values, empty_channel
from ashblend.core.formats.images import read_image
from ashblend.core.formats.splat import splat_png
from ashblend.core.prepare.convert import (
    taken_over,
    texels_by_index,
    texels_by_place,
    texels_to_vertices,
    vertices_to_texels,
)
from ashblend.core.prepare.refine import refine_levels
from ashblend.core.sites import Mesh, UVTexels, mesh_vertices


def texels_of(mesh: Mesh, size: int) -> UVTexels:
    return UVTexels(mesh, mesh_vertices(mesh).normals, size)


def test_texels_of_a_plane_lie_where_its_map_says():
    size = 256
    texels = texels_of(plane(7, 2.0, uv=True), size)
    assert texels.count == size * size
    k = np.arange(size * size)
    expected = np.stack([(k % size + 0.5) / size, np.zeros(k.size), (k // size + 0.5) / size], axis=1) * 2
    np.testing.assert_allclose(texels.positions, expected, atol=1e-6)
    np.testing.assert_array_equal(texels.normals, np.tile([0, 1, 0], (k.size, 1)))
    np.testing.assert_allclose(texels.areas, (2 / size) ** 2, rtol=1e-4)


def test_texels_of_a_cylinder_lie_within_the_chord():
    """The facets lie r(1 − cos(π/n)) inside the cylinder at most; normals are the cylinder's."""
    around, radius, length = 48, 0.5, 1.5
    texels = texels_of(cylinder(around, 4, radius, length), 256)
    u = (texels.texels % 256 + 0.5) / 256
    v = (texels.texels // 256 + 0.5) / 256
    angle = 2 * np.pi * u
    analytic = np.stack([radius * np.cos(angle), length * (1 - v), -radius * np.sin(angle)], axis=1)
    chord = radius * (1 - np.cos(np.pi / around))
    # Along a facet the angle runs evenly in space, not in angle: a second small shift.
    assert np.linalg.norm(texels.positions - analytic, axis=1).max() < 1.2 * chord
    np.testing.assert_allclose(texels.positions[:, 1], analytic[:, 1], atol=1e-5)
    outward = analytic * [1, 0, 1] / radius
    assert np.einsum("ij,ij->i", texels.normals, outward).min() > np.cos(np.pi / around)
    assert texels.areas.sum() == pytest.approx(2 * np.pi * radius * length, rel=0.005)


def test_skin_crosses_the_seam_of_a_cylinder_without_a_gap():
    texels = texels_of(cylinder(64, 6, 0.5, 1.5), 256)
    # On the seam, which lies at angle zero.
    centre, normal = np.array([0.5, 0.75, 0.0]), np.array([1.0, 0, 0])
    points, distances = Skin(texels).around(centre, normal, 0.3, 180)
    around = np.arctan2(-texels.positions[:, 2], texels.positions[:, 0])
    arc = np.hypot(0.5 * around, texels.positions[:, 1] - 0.75)
    # What lies well inside is reached on both sides; distances are arcs to a few texels of the seam.
    inside = np.flatnonzero(arc < 0.27)
    assert set(inside) <= set(points.tolist())
    texel = 2 * np.pi * 0.5 / 256
    assert np.abs(distances - arc[points]).max() < 3 * texel
    assert (around[points] > 0.1).any() and (around[points] < -0.1).any()


def test_a_stroke_on_texels_is_one_on_a_fine_mesh():
    """The same stroke on 256² texels and on a mesh with a vertex at every texel's centre."""
    texels = texels_of(plane(5, 1.0, uv=True), 256)
    size = 256
    fine = plane(size, 1.0 - 1.0 / size)
    fine = Mesh(fine.positions + np.array([0.5 / size, 0, 0.5 / size], np.float32), fine.triangles)
    vertices = mesh_vertices(fine)
    results = []
    for sites in (texels, vertices):
        channel = empty_channel(sites.count)
        for reach in (Reach(sites), Skin(sites)):
            stroke = Stroke(StrokeRoom(sites), reach, channel, 0, Brush(radius=0.1, coat="many", flow=0.4))
            stroke.extend(
                PointerSample(position=(x, 0, 0.4 + 0.3 * x), normal=(0, 1, 0)) for x in (0.2, 0.5, 0.8)
            )
            stroke.finish()
        results.append(channel.values().astype(int))
    assert results[0].max() > 0.5 * FULL
    assert np.abs(results[0] - results[1]).max() < 0.02 * FULL


def test_padding_shows_the_nearest_site():
    # A map that covers a quarter only.
    mesh = plane(5, 1.0, uv=True)
    mesh = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[0] * np.float32(0.5),))
    texels = texels_of(mesh, 256)
    assert texels.count == 128 * 128
    shown = texels.padded(3).reshape(256, 256)
    owner = np.full((256, 256), -1)
    owner.reshape(-1)[texels.texels] = np.arange(texels.count)
    np.testing.assert_array_equal(shown[:128, 128:131], np.repeat(owner[:128, 127:128], 3, axis=1))
    assert (shown[:, 131:] == -1).all() and (shown[131:] == -1).all()


def test_a_splat_map_goes_out_as_it_is_painted():
    texels = texels_of(plane(5, 1.0, uv=True), 256)
    ramp = (texels.positions[:, 0]).astype(np.float32)
    channels = [channel_of_values(ramp), channel_of_values(1 - ramp), empty_channel(texels.count)]
    data = splat_png(texels, channels, 8)
    image = np.asarray(Image.open(io.BytesIO(data)))
    assert image.shape == (256, 256, 4) and image.dtype == np.uint8
    expected = np.rint(ramp.reshape(256, 256) * 255)
    assert np.abs(image[..., 0] - expected).max() <= 1
    assert np.abs(image[..., 1].astype(int) - (255 - expected)).max() <= 1
    assert not image[..., 2].any() and not image[..., 3].any()
    deep = read_image(splat_png(texels, channels, 16))
    np.testing.assert_array_equal(deep[..., 0].reshape(-1), channels[0].values())


def test_values_convert_between_vertices_and_texels():
    mesh = plane(17, 1.0, uv=True)
    texels = texels_of(mesh, 512)
    linear = mesh.positions[:, 0].astype(float) * 0.7 + 0.1
    there = vertices_to_texels(linear, texels)
    np.testing.assert_allclose(there, texels.positions[:, 0] * 0.7 + 0.1, atol=1e-5)
    back = texels_to_vertices(there, texels, mesh)
    assert np.abs(back - linear).max() < 0.7 / 512 + 1e-6


def test_texels_take_over_their_paint_when_the_mesh_is_refined_or_replaced():
    mesh = plane(5, 1.0, uv=True)
    old = texels_of(mesh, 256)
    rng = np.random.default_rng(0)
    cover = rng.integers(0, FULL + 1, old.count).astype(np.uint16)
    channel = Channel(cover, (cover // 2).astype(np.uint16))
    refined = texels_of(refine_levels(mesh, 1, 10**5).mesh, 256)
    kept = taken_over(channel, texels_by_index(old, refined))
    np.testing.assert_array_equal(kept.cover, channel.cover)
    # Another mesh with another map: turned by a right angle.
    turned = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[0][:, ::-1].copy(),))
    new = texels_of(turned, 256)
    moved = taken_over(channel, texels_by_place(mesh, old, new, 75.0))
    image = moved.cover.reshape(256, 256)
    assert (image == channel.cover.reshape(256, 256).T).mean() > 0.999


def test_without_uvs_there_are_no_texels():
    with pytest.raises(ValueError, match="no UVs"):
        texels_of(plane(3, 1.0), 256)
    outside = plane(3, 1.0, uv=True)
    far = Mesh(outside.positions, outside.triangles, uvs=(outside.uvs[0] + np.float32(5),))
    with pytest.raises(ValueError, match="between 0 and 1"):
        texels_of(far, 256)
