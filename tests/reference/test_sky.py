"""Skies against what is published of them, against integrals, and as the shader reads them.

Preetham, Shirley and Smits (1999), "A Practical Analytic Model for Daylight", appendix A.2 and A.3: coefficients typed from the
paper, from memory. ISO 15469:2004 by its own formula at named points, and Moon and Spencer (1942) for the overcast one.
"""

from pathlib import Path

import numpy as np
import pytest
from reference.shader import as_texture, run, stages

from ashblend.core.bearing import toward
from ashblend.core.light.atmosphere import air_of, scattered, sunlight
from ashblend.core.light.document import Light
from ashblend.core.light.falling import METERED, falling
from ashblend.core.light.general_sky import OVERCAST, OVERCAST_BRIGHTER_TOWARD_SUN, against_zenith
from ashblend.core.light.harmonics import fallen, fallen_harmonics
from ashblend.core.light.skies.registry import SKIES
from ashblend.core.light.sky_map import ACROSS, LEVELS, UP, map_directions, map_places, solid_angles
from ashblend.core.light.smoothing import smoothed_sky
from ashblend.core.light.warmth import LUMINANCE, glow_xyz, warmed

LIGHTING = Path(__file__).parents[2] / "web/src/viewport/light"
BOUNCE = np.array([0.25, 0.2, 0.15])


def spread(count: int, seed: int, lowest: float = -1.0) -> np.ndarray:
    """Directions (k, 3), even over the sphere above a sine."""
    rng = np.random.default_rng(seed)
    y = rng.uniform(lowest, 1, count)
    turn = rng.uniform(0, 2 * np.pi, count)
    level = np.sqrt(1 - y * y)
    return np.stack([level * np.sin(turn), y, -level * np.cos(turn)], axis=1)


def preetham(directions: np.ndarray, sun: np.ndarray, turbidity: float) -> np.ndarray:
    """(k,) luminance over the zenith's: Perez's distribution with the paper's coefficients for Y."""
    t = turbidity
    a, b, c, d, e = 0.1787 * t - 1.4630, -0.3554 * t + 0.4275, -0.0227 * t + 5.3251, 0.1206 * t - 2.5771, -0.0670 * t + 0.3703  # fmt: skip

    def perez(cosine: np.ndarray, apart: np.ndarray) -> np.ndarray:
        return (1 + a * np.exp(b / cosine)) * (1 + c * np.exp(d * apart) + e * np.cos(apart) ** 2)

    apart = np.arccos(np.clip(directions @ sun, -1, 1))
    zenith = np.arccos(sun[1:2])
    return perez(directions[:, 1], apart) / perez(np.ones(1), zenith)


@pytest.mark.parametrize("tilt", [20.0, 45.0, 65.0])
def test_a_clear_sky_is_as_bright_as_the_fitted_model_says(tilt):
    """Two models of different kinds, one integrated and one fitted, over the whole sky.

    15 % apart on average for suns up to 45°, 36 % at 65°, where the fitted one's zenith is darker.
    """
    sun = toward(0.0, tilt)
    directions = spread(4000, 1, 0.08)
    directions = directions[directions @ sun < np.cos(np.radians(8))]
    luminance = scattered(air_of(1.0), directions, sun)[0] @ LUMINANCE
    zenith = scattered(air_of(1.0), np.array([[0.0, 1, 0]]), sun)[0] @ LUMINANCE
    # An optical depth of 0.1 of haze over 0.1 of air: a turbidity of 2.
    ratio = np.log(luminance / zenith) - np.log(preetham(directions, sun, 2.0))
    assert np.abs(ratio).mean() < (0.2 if tilt < 60 else 0.4), np.abs(ratio).mean()
    assert np.corrcoef(np.log(luminance), np.log(preetham(directions, sun, 2.0)))[0, 1] > 0.84


def test_the_sun_reddens_as_it_sinks_and_twilight_stays():
    air = air_of(1.0)
    suns = np.array([sunlight(air, t) for t in (60.0, 20.0, 5.0, 0.0, -3.0)])
    assert (np.diff(suns.sum(axis=1)) < 0).all() and suns[-1].sum() == 0
    ratio = suns[:4, 2] / suns[:4, 0]
    assert (np.diff(ratio) < 0).all() and ratio[0] > 0.7 and ratio[3] < 0.05
    # Vertical optical depths add up: Beer and Lambert, at one air mass.
    depth = np.array([5.802e-3, 13.558e-3, 33.1e-3]) * 8 + 0.1 + np.array([0.650e-3, 1.881e-3, 0.085e-3]) * 15
    np.testing.assert_allclose(sunlight(air, 90.0), np.exp(-depth), rtol=0.02)
    dusk, _ = scattered(air, np.array([toward(0, 5.0), toward(180, 5.0), toward(0, 90.0)]), toward(0.0, -4.0))
    assert (dusk > 0).all() and dusk[0].sum() > 2.5 * dusk[1].sum()
    assert dusk[0, 0] > dusk[0, 2] and dusk[2, 2] > dusk[2, 0]


def test_the_general_sky_is_its_formula_at_named_points():
    # Moon and Spencer's overcast sky, (1 + 2 sin γ) / 3, which the standard's first follows to a twelfth.
    up = np.array([90.0, 60.0, 42.0, 20.0, 8.0])
    directions = np.array([toward(33.0, t) for t in up])
    found = against_zenith(OVERCAST, directions, toward(0.0, 50.0))
    np.testing.assert_allclose(found, (1 + 2 * np.sin(np.radians(up))) / 3, atol=0.085)
    # The second by hand: 30° up toward a sun of 50°, 20° away from it.
    phi = (1 + 4 * np.exp(-0.7 / 0.5)) / (1 + 4 * np.exp(-0.7))

    def f(x: float) -> float:
        return 1 + 2 * (np.exp(-1.5 * x) - np.exp(-1.5 * np.pi / 2)) + 0.15 * np.cos(x) ** 2

    toward_sun = against_zenith(OVERCAST_BRIGHTER_TOWARD_SUN, toward(0, 30.0)[None], toward(0, 50.0))
    np.testing.assert_allclose(toward_sun, phi * f(np.radians(20)) / f(np.radians(40)), rtol=1e-9)


def test_glowing_things_have_the_colours_that_are_published():
    """CIE 15: illuminant A, a black body of 2856 K, lies at x 0.4476, y 0.4074; 6504 K on the locus at 0.3135, 0.3237."""
    for kelvin, x, y in ((2856, 0.4476, 0.4074), (6504, 0.3135, 0.3237), (10000, 0.2807, 0.2884)):
        xyz = glow_xyz(kelvin)
        np.testing.assert_allclose(xyz[:2] / xyz.sum(), [x, y], atol=2.5e-3)
    warm, cool = warmed(1.0), warmed(-1.0)
    assert warm[0] > 1 > warm[2] and cool[2] > 1 > cool[0]
    np.testing.assert_allclose(warmed(0.0), 1, atol=1e-9)
    np.testing.assert_allclose([LUMINANCE @ warm, LUMINANCE @ cool], 1, atol=1e-9)


@pytest.mark.parametrize("kind", list(SKIES))
@pytest.mark.parametrize("azimuth", [0.0, 137.0])
def test_what_is_scattered_is_the_integral_over_the_sky(kind, azimuth):
    """Of order two: Ramamoorthi and Hanrahan say 1 % on average for real skies; a dark ground doubles that here."""
    given = falling(Light(sky=kind, azimuth=azimuth, **SKIES[kind].first), BOUNCE)
    # By another quadrature than the map's own.
    around = spread(60_000, 3)
    u, v = map_places(around)
    sky = given.sky[0].astype(float)[
        (v * UP).astype(int).clip(0, UP - 1), (u * ACROSS).astype(int).clip(0, ACROSS - 1)
    ]
    normals = spread(60, 4)
    expected = 4 * np.pi * np.maximum(around @ normals.T, 0).T @ sky / len(around) / np.pi
    found = fallen(given.harmonics, normals)
    scale = expected.mean(axis=0)
    assert (np.abs(found - expected) / scale).mean() < 0.04, (np.abs(found - expected) / scale).mean()
    assert (np.abs(found - expected) / scale).max() < 0.16
    # Where the light stands around makes no difference: all is told with it in the north.
    np.testing.assert_allclose(
        given.harmonics, falling(Light(sky=kind, azimuth=5.0, **SKIES[kind].first), BOUNCE).harmonics
    )


def test_an_even_sky_gives_one_everywhere():
    """A white furnace: no level of the map and no harmonic brings more or less."""
    np.testing.assert_allclose(solid_angles().sum(), 4 * np.pi, rtol=1e-9)
    white = np.ones((UP, ACROSS, 3))
    np.testing.assert_allclose(smoothed_sky(white.astype(np.float32)), 1, rtol=1e-5)
    found = fallen(fallen_harmonics(white, map_directions(), solid_angles()), spread(50, 5))
    np.testing.assert_allclose(found, 1, atol=5e-3)


@pytest.mark.parametrize("level", [2, 4, 7])
def test_a_rough_mirror_sees_the_integral_over_its_facets(level):
    """By uniform directions weighed with the density of facets (Walter et al. 2007), where the map draws by it."""
    sky = falling(Light(sky="low sun", tilt=12.0), BOUNCE).sky
    a2 = max((level / (LEVELS - 1)) ** 2, 0.002) ** 2
    around = spread(400_000, 6)
    u, v = map_places(around)
    seen = sky[0].astype(float)[
        (v * UP).astype(int).clip(0, UP - 1), (u * ACROSS).astype(int).clip(0, ACROSS - 1)
    ]
    looked = np.stack(
        [toward(0, 25.0), toward(70, 40.0), toward(150, 10.0), toward(20, -30.0), toward(100, 80.0)]
    )
    for n in looked:
        nl = around @ n
        h = around + n
        nh = (h @ n) / np.linalg.norm(h, axis=1)
        # Density of a direction: D · n·h / (4 v·h), and v is n here.
        weight = np.where(nl > 0, a2 / (np.pi * (nh**2 * (a2 - 1) + 1) ** 2) / 4 * nl, 0)
        expected = weight @ seen / weight.sum()
        u, v = map_places(n[None])
        here = sky[level, int(v[0] * UP), min(int(u[0] * ACROSS), ACROSS - 1)]
        np.testing.assert_allclose(here, expected, rtol=0.12)


@pytest.mark.parametrize("kind", ["clear", "low sun", "overcast"])
def test_the_ground_around_gives_back_its_share_of_what_falls_on_it(kind):
    """Straight down there is hardly any air between: Lambert's share of sun and sky on level ground."""
    light = Light(sky=kind, **SKIES[kind].first)
    dark, given = falling(light, np.zeros(3)), falling(light, BOUNCE)
    # Both are metered; the key light is the same before that.
    metered = given.key[1] / dark.key[1]
    around = spread(60_000, 9, 0.0)
    u, v = map_places(around)
    sky = dark.sky[0].astype(float)[
        (v * UP).astype(int).clip(0, UP - 1), (u * ACROSS).astype(int).clip(0, ACROSS - 1)
    ]
    level = 2 * (around[:, 1:2] * sky).mean(axis=0) + dark.key / np.pi * toward(0, light.tilt)[1]
    down = given.sky[0, 0].mean(axis=0) / metered - dark.sky[0, 0].mean(axis=0)
    np.testing.assert_allclose(down, BOUNCE * level, rtol=0.08)


def test_metering_goes_by_what_falls_in():
    for kind, sky in SKIES.items():
        for strength in (-2.0, 0.0, 2.0):
            given = falling(Light(sky=kind, strength=strength, **sky.first), BOUNCE)
            light = toward(0.0, sky.first["tilt"])
            level, turned = fallen(given.harmonics, np.stack([[0.0, 1, 0], light]))
            white = (level + given.key / np.pi * light[1] + turned + given.key / np.pi) / 2
            np.testing.assert_allclose(LUMINANCE @ white, METERED, rtol=1e-6)
            # White balance leaves the luminance of white ground, and wholly taken makes it grey.
            whole = falling(Light(sky=kind, strength=strength, **{**sky.first, "white": 1.0}), BOUNCE)
            np.testing.assert_allclose(white * whole.white, METERED, rtol=0.01)


@pytest.fixture(scope="module")
def page(browser):
    made = browser.new_page()
    yield made
    made.close()


def turned(azimuth: float) -> np.ndarray:
    """(3, 3) from the world to the sky, with the light in the north."""
    a = np.radians(azimuth)
    return np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])


@pytest.mark.parametrize("azimuth", [0.0, 221.0])
def test_the_shader_reads_the_sky_as_it_was_made(page, azimuth):
    given = falling(Light(sky="clear", tilt=25.0), BOUNCE)
    rng = np.random.default_rng(8)
    directions = spread(2048, 7)
    rough = rng.integers(0, LEVELS, (2048, 1)) / (LEVELS - 1)
    text = (LIGHTING / "sky.glsl").read_text()
    vertex, head = stages({"d": 3, "rough": 1}, text)
    rgba = np.ones((LEVELS, UP, ACROSS, 4), np.float32)
    rgba[..., :3] = given.sky
    to_sky = turned(azimuth)
    more = {
        "volume": as_texture("sky", rgba),
        "threes": {"harmonics": given.harmonics.reshape(-1).tolist()},
        "matrices": {"to_sky": to_sky.T.reshape(-1).tolist()},
    }
    inputs = {"d": directions.astype(np.float32), "rough": rough.astype(np.float32)}
    seen = run(
        page, vertex, head + "void main() { o = vec4(seen_towards(v_d, v_rough), 1.0); }", inputs, 1, **more
    )
    around = directions @ to_sky.T
    u, v = map_places(around)
    x, y = np.clip(u * ACROSS - 0.5, 0, ACROSS - 1), np.clip(v * UP - 0.5, 0, UP - 1)
    i, j = np.minimum(y.astype(int), UP - 2), np.minimum(x.astype(int), ACROSS - 2)
    level = np.rint(rough[:, 0] * (LEVELS - 1)).astype(int)
    fy, fx = (y - i)[:, None], (x - j)[:, None]
    s = given.sky.astype(float)
    near = s[level, i, j] * (1 - fx) + s[level, i, j + 1] * fx
    expected = near * (1 - fy) + (s[level, i + 1, j] * (1 - fx) + s[level, i + 1, j + 1] * fx) * fy
    np.testing.assert_allclose(seen[0, :, :3], expected, rtol=0.02, atol=2e-3)
    # The light itself is in the north of the sky's own axes.
    np.testing.assert_allclose(toward(azimuth, 25.0) @ to_sky.T, toward(0.0, 25.0), atol=1e-9)
    fell = run(page, vertex, head + "void main() { o = vec4(fallen(v_d), 1.0); }", inputs, 1, **more)
    np.testing.assert_allclose(fell[0, :, :3], fallen(given.harmonics, around), rtol=1e-4, atol=1e-5)
