"""Shadows as the shader looks them up, against outlines and penumbras in closed form, from a centimetre to a kilometre.

The map of what the light reaches first is made here, ray by ray, so that only the looking up is tried; that a picture throws its
shadow where it must is in tests/browser/studio/test_light.py.
"""

from pathlib import Path

import numpy as np
import pytest
from reference.shader import as_texture, run, stages

from ashblend.core.bearing import toward

SHADOW = (Path(__file__).parents[2] / "web/src/viewport/light/shadow.glsl").read_text()
VERTEX, HEAD = stages({"place": 3, "plane": 3}, SHADOW)
TEXELS = 512
FAR = 1e9


@pytest.fixture(scope="module")
def page(browser):
    made = browser.new_page()
    yield made
    made.close()


def frame(light: np.ndarray) -> np.ndarray:
    """(3, 3) rows: across, up and toward the light, of a map."""
    across = np.cross([0.0, 1.0, 0.0] if abs(light[1]) < 0.99 else [0.0, 0.0, -1.0], light)
    across /= np.linalg.norm(across)
    return np.stack([across, np.cross(light, across), light])


def hit_sphere(starts, ways, middle, radius):
    away = starts - middle
    b = (away * ways).sum(1)
    inside = b * b - (away * away).sum(1) + radius**2
    t = -b - np.sqrt(np.maximum(inside, 0))
    return np.where((inside >= 0) & (t > 0), t, FAR)


def hit_box(starts, ways, low, high):
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (low - starts) / ways, (high - starts) / ways
    near, far = np.minimum(a, b).max(1), np.maximum(a, b).min(1)
    return np.where((near <= far) & (near > 1e-9), near, FAR)


def hit_plane(starts, ways, normal):
    t = -(starts @ normal) / (ways @ normal)
    return np.where(t > 0, t, FAR)


class Sun:
    """A map `wide` metres across around the origin, looked along from a light."""

    def __init__(self, light, wide, angle, hits):
        self.light, self.angle = light, angle
        rows = frame(light)
        half, deep = wide / 2, 2 * wide
        eye = light * deep / 2
        c = (np.arange(TEXELS) + 0.5) / TEXELS * 2 - 1
        y, x = np.meshgrid(c * half, c * half, indexing="ij")
        starts = eye + x.reshape(-1, 1) * rows[0] + y.reshape(-1, 1) * rows[1]
        ways = np.broadcast_to(-light, starts.shape)
        self.depth = np.minimum(hits(starts, ways) / deep, 1).reshape(TEXELS, TEXELS)
        view = np.eye(4)
        view[:3, :3] = rows
        view[:3, 3] = -rows @ eye
        self.matrix = np.diag([1 / half, 1 / half, -2 / deep, 1.0]) @ view
        self.matrix[2, 3] -= 1
        self.reach = [wide, deep, np.tan(np.radians(angle / 2)), 16.0]
        self.grain = [1 / TEXELS, 0.0, 0.0]


class Lamp:
    """A map seen from a lamp of some size, toward the origin."""

    def __init__(self, place, opening, size, hits):
        away = np.linalg.norm(place)
        rows = frame(place / away)
        near, far, t = away / 50, 3 * away, np.tan(np.radians(opening / 2))
        c = (np.arange(TEXELS) + 0.5) / TEXELS * 2 - 1
        y, x = (a.reshape(-1, 1) * t for a in np.meshgrid(c, c, indexing="ij"))
        ways = -rows[2] + x * rows[0] + y * rows[1]
        # One for each metre along the axis.
        along = np.minimum(hits(np.broadcast_to(place, ways.shape), ways), far)
        self.depth = (far / (far - near) * (1 - near / along)).reshape(TEXELS, TEXELS)
        view = np.eye(4)
        view[:3, :3] = rows
        view[:3, 3] = -rows @ place
        projection = np.diag([1 / t, 1 / t, 0, 0.0])
        projection[2, 2:] = -(far + near) / (far - near), -2 * far * near / (far - near)
        projection[3, 2] = -1
        self.matrix = projection @ view
        self.reach = [2 * t, 0.0, size / 2, 16.0]
        self.grain = [1 / TEXELS, near, far]


def arrived(page, light, places, normals) -> np.ndarray:
    return run(
        page,
        VERTEX,
        HEAD + "void main() { o = vec4(arrived(v_place, v_plane), 0.0, 0.0, 1.0); }",
        {
            "place": places.astype(np.float32),
            "plane": np.broadcast_to(normals, places.shape).astype(np.float32),
        },
        1,
        depth=as_texture("shadow_depth", light.depth),
        uniforms={"shadow_reach": light.reach, "shadow_grain": light.grain},
        matrices={
            "to_shadow": light.matrix.T.reshape(-1).tolist(),
            "plane_to_shadow": np.linalg.inv(light.matrix).reshape(-1).tolist(),
        },
    )[0, :, 0]


def on_plane(normal, half, count, seed):
    """Places (k, 3) on a plane through the origin."""
    rows = frame(normal)
    at = np.random.default_rng(seed).uniform(-half, half, (count, 2))
    return at @ rows[:2]


UP = np.array([0.0, 1.0, 0.0])
SLOPE = np.array([0.35, 0.9, -0.26]) / np.linalg.norm([0.35, 0.9, -0.26])


@pytest.mark.parametrize(
    ("scale", "normal", "light"),
    [
        (0.01, UP, toward(15, 20)),
        (0.01, SLOPE, toward(80, 75)),
        (1.0, SLOPE, toward(15, 20)),
        (1000.0, UP, toward(80, 75)),
        (1000.0, SLOPE, toward(221, 46)),
    ],
)
def test_nothing_hides_itself_however_large_and_however_it_lies(page, scale, normal, light):
    sun = Sun(light, 4 * scale, 1.0, lambda s, w: hit_plane(s, w, normal))
    for angle in (0.5, 30.0):
        sun.reach[2] = np.tan(np.radians(angle / 2))
        assert (arrived(page, sun, on_plane(normal, scale, 1500, 1), normal) == 1).all(), angle


@pytest.mark.parametrize(("scale", "normal"), [(0.01, UP), (0.01, SLOPE), (1000.0, SLOPE)])
def test_the_shadow_of_a_cube_is_its_outline(page, scale, normal):
    light = toward(140, 50)
    low, high = np.array([-0.2, 0.0, -0.15]) * scale, np.array([0.2, 0.5, 0.15]) * scale
    sun = Sun(
        light, 4 * scale, 0.1, lambda s, w: np.minimum(hit_box(s, w, low, high), hit_plane(s, w, normal))
    )
    places = on_plane(normal, scale, 3000, 2)
    found = arrived(page, sun, places, normal)
    # What stays the same when the place is moved by two texels any way round is not on the outline.
    grain = 4 * scale / TEXELS * 2.5
    rows = frame(normal)
    shadow = [
        hit_box(places + dx * grain * rows[0] + dy * grain * rows[1] + 1e-6 * scale * light, np.broadcast_to(light, places.shape), low, high) < FAR
        for dx in (-1, 0, 1)
        for dy in (-1, 0, 1)
    ]  # fmt: skip
    inside, outside = np.all(shadow, axis=0), ~np.any(shadow, axis=0)
    # Not where the cube itself stands in the ground.
    standing = ((places > low - grain) & (places < high + grain))[:, [0, 2]].all(axis=1)
    assert (inside & ~standing).sum() > 75 and outside.sum() > 1500
    assert (found[inside & ~standing] == 0).all()
    assert (found[outside & ~standing] == 1).all()


def seen_of_disc(apart, disc, before):
    """The share of a disc that another, `apart` away, leaves to see; all angles. Overlap of two circles."""
    d = np.clip(apart, 1e-9, None)
    x = np.clip((d * d + disc**2 - before**2) / (2 * d * disc), -1, 1)
    y = np.clip((d * d + before**2 - disc**2) / (2 * d * before), -1, 1)
    root = np.sqrt(
        np.maximum((-d + disc + before) * (d + disc - before) * (d - disc + before) * (d + disc + before), 0)
    )
    lens = disc**2 * np.arccos(x) + before**2 * np.arccos(y) - root / 2
    return 1 - np.where(d >= disc + before, 0, lens) / (np.pi * disc**2)


@pytest.mark.parametrize(("scale", "angle"), [(0.01, 8.0), (1000.0, 2.0)])
def test_the_shadow_of_a_sphere_is_as_soft_as_the_sun_is_wide(page, scale, angle):
    light, radius = toward(30, 55), 0.25 * scale
    middle = 0.9 * scale * light
    sun = Sun(
        light,
        4 * scale,
        angle,
        lambda s, w: np.minimum(hit_sphere(s, w, middle, radius), hit_plane(s, w, UP)),
    )
    places = on_plane(UP, scale, 3000, 3)
    found = arrived(page, sun, places, UP)
    there = middle - places
    far = np.linalg.norm(there, axis=1)
    apart = np.arccos(np.clip(there @ light / far, -1, 1))
    expected = seen_of_disc(apart, np.radians(angle / 2), np.arcsin(radius / far))
    soft = (expected > 0.02) & (expected < 0.98)
    assert soft.sum() > 30
    # Sixteen samples tell sixteen shades; those that hide are taken to be as far as they are on average.
    assert np.abs(found - expected)[soft].mean() < 0.1
    assert np.abs((found - expected)[soft].mean()) < 0.05
    assert np.abs(found - expected)[~soft].mean() < 0.004


@pytest.mark.parametrize("scale", [0.3, 4.0])
def test_the_shadow_from_a_lamp_widens_and_softens(page, scale):
    place, radius = np.array([0.8, 1.6, 0.5]) * scale, 0.2 * scale
    middle = 0.45 * place
    for size in (0.06 * scale, 0.25 * scale):
        lamp = Lamp(
            place, 100.0, size, lambda s, w: np.minimum(_along(s, w, middle, radius), hit_plane(s, w, UP))
        )
        places = on_plane(UP, scale, 3000, 4)
        found = arrived(page, lamp, places, UP)
        there, light = middle - places, place - places
        far, away = np.linalg.norm(there, axis=1), np.linalg.norm(light, axis=1)
        apart = np.arccos(np.clip((there * light).sum(1) / far / away, -1, 1))
        expected = seen_of_disc(apart, np.arcsin(size / 2 / away), np.arcsin(radius / far))
        soft = (expected > 0.02) & (expected < 0.98)
        assert np.abs(found - expected)[soft].mean() < 0.14
        assert np.abs(found - expected)[~soft].mean() < 0.01


def _along(starts, ways, middle, radius):
    """Hits of ways of any length, counted in those."""
    length = np.linalg.norm(ways, axis=1)
    t = hit_sphere(starts, ways / length[:, None], middle, radius)
    return np.where(t < FAR, t / length, FAR)


def test_without_samples_and_beyond_the_map_all_of_it_arrives(page):
    light = toward(10, 50)
    sun = Sun(light, 1.0, 1.0, lambda s, w: np.zeros(len(s)))
    places = on_plane(UP, 0.3, 100, 5)
    assert (arrived(page, sun, places, UP) == 0).all()
    assert (arrived(page, sun, places + [3.0, 0, 0], UP) == 1).all()
    # And behind its end, where the map has met nothing.
    empty = Sun(light, 1.0, 5.0, lambda s, w: np.full(len(s), FAR))
    assert (arrived(page, empty, places * 0.3 - 4.0 * light, UP) == 1).all()
    sun.reach[3] = 0.0
    assert (arrived(page, sun, places, UP) == 1).all()
