"""The light on a place, term by term, against the formulas as they were published, integrated where they are integrals.

Walter et al. (2007), "Microfacet Models for Refraction through Rough Surfaces"; Heitz (2014), JCGT 3(2), equation 99;
Schlick (1994); IEC 61966-2-1; Khronos PBR Neutral (2024), whose numbers are those of the implementation in npm `three`; Jimenez et al.
(2016) and Lagarde and de Rousiers (2014) for what is hidden. The sky itself is tested in test_sky.py, shadows in
test_shadow.py.
"""

from functools import cache
from pathlib import Path

import numpy as np
import pytest
from reference.shader import run, stages

ROOT = Path(__file__).parents[2]
LIT = "".join((ROOT / f"web/src/viewport/light/{name}.glsl").read_text() for name in ("tone", "lit"))
INPUTS = {
    "matter": 4,
    "normal": 3,
    "eye": 3,
    "light": 3,
    "key": 3,
    "scattered": 3,
    "mirrored": 3,
    "open": 1,
    "behind": 3,
    "thin": 1,
}
VERTEX, HEAD = stages(INPUTS, LIT)
FRAGMENT = (
    HEAD
    + """void main() {
  Matter m = Matter(vec3(v_matter.x), v_normal, v_matter.y, v_matter.w, v_matter.z, vec3(0.0), v_thin);
  o = vec4(lit(m, Falling(v_key, v_scattered, v_mirrored, v_open, v_behind), v_eye, v_light), 1.0);
}
"""
)
COUNT = 4096


@pytest.fixture(scope="module")
def page(browser):
    made = browser.new_page()
    yield made
    made.close()


def unit(v: np.ndarray) -> np.ndarray:
    return v / np.linalg.norm(v, axis=-1, keepdims=True)


def places(seed: int, count: int = COUNT, **fixed) -> dict[str, np.ndarray]:
    """Random matter under a random light, seen from the side that is turned to the eye."""
    rng = np.random.default_rng(seed)
    normal = unit(rng.normal(size=(count, 3)))
    turned = [
        unit(normal * rng.uniform(0.1, 1.5, (count, 1)) + unit(rng.normal(size=(count, 3)))) for _ in range(2)
    ]
    eye, light = (np.where((t * normal).sum(1, keepdims=True) < 0.05, normal, t) for t in turned)
    matter = np.stack(
        [
            rng.random(count),
            rng.uniform(0.1, 1, count),
            rng.integers(0, 2, count),
            rng.uniform(0.1, 1, count),
        ],
        axis=1,
    )
    colours = {name: rng.random((count, 3)) for name in ("key", "scattered", "mirrored")}
    given = {"matter": matter, "normal": normal, "eye": eye, "light": light, "open": np.ones((count, 1))}
    given |= {"behind": np.zeros((count, 3)), "thin": np.zeros((count, 1))}
    return {**given, **colours, **fixed}


def shaded(page, given: dict[str, np.ndarray]) -> np.ndarray:
    count = given["normal"].shape[0]
    wide = {n: np.broadcast_to(np.asarray(given[n], np.float32), (count, w)) for n, w in INPUTS.items()}
    return run(page, VERTEX, FRAGMENT, wide, 1)[0, :, :3].astype(float)


def ggx(given: dict[str, np.ndarray], facing: np.ndarray) -> np.ndarray:
    """(k, 1) one bounce off facets times n·l: F·D·G / (4 n·v n·l) · n·l, with G as two lambdas."""
    n, v, light = given["normal"], given["eye"], given["light"]
    alpha = np.maximum(given["matter"][:, 1] ** 2, 0.002)
    h = unit(v + light)
    nv, nl, nh, vh = ((a * b).sum(1) for a, b in ((n, v), (n, light), (n, h), (v, h)))
    distribution = alpha**2 / (np.pi * (nh**2 * (alpha**2 - 1) + 1) ** 2)

    def smith(cosine: np.ndarray) -> np.ndarray:
        tangent = (1 - cosine**2) / cosine**2
        return (np.sqrt(1 + alpha**2 * tangent) - 1) / 2

    shadowed = 1 / (1 + smith(nv) + smith(nl))
    fresnel = facing + (1 - facing) * (1 - vh) ** 5
    return (fresnel * distribution * shadowed / (4 * nv))[:, None]


@cache
def _table(count: int = 24) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Shares of even light mirrored at normal incidence's two ends, x and y, over roughness and cosine."""
    rough, cosine = np.linspace(0.1, 1, 10), np.linspace(0.02, 1, count)
    u = (np.arange(160) + 0.5) / 160
    u1, turn = np.meshgrid(u, 2 * np.pi * u)
    out = np.zeros((10, count, 2))
    for i, r in enumerate(rough):
        a2 = max(r * r, 0.002) ** 2
        nh = np.sqrt((1 - u1) / (1 + (a2 - 1) * u1))
        s = np.sqrt(1 - nh**2)
        for j, c in enumerate(cosine):
            vh = np.maximum(s * np.cos(turn) * np.sqrt(1 - c * c) + nh * c, 0)
            nl = np.maximum(2 * vh * nh - c, 0)
            seen = 0.5 / (nl * np.sqrt(c * c * (1 - a2) + a2) + c * np.sqrt(nl * nl * (1 - a2) + a2))
            weight = np.where(nl > 0, seen * nl * 4 * vh / nh, 0)
            out[i, j] = (weight * (1 - (1 - vh) ** 5)).mean(), (weight * (1 - vh) ** 5).mean()
    return rough, cosine, out


def mirrored_share(roughness: np.ndarray, cosine: np.ndarray, facing: np.ndarray) -> np.ndarray:
    """(k,) of even light, all bounces: Turquin (2019), equation 16."""
    from scipy.interpolate import RegularGridInterpolator

    rough, at, table = _table()
    xy = RegularGridInterpolator((rough, at), table)(np.stack([roughness, np.clip(cosine, 0.02, 1)], axis=1))
    once, whole = facing * xy[:, 0] + xy[:, 1], xy.sum(axis=1)
    return once * (1 + facing * (1 / whole - 1))


def test_what_the_key_light_gives_to_facets_is_the_formula(page):
    """Black and bare metal: nothing is scattered."""
    given = places(1, scattered=np.zeros(3), mirrored=np.zeros(3))
    given["matter"][:, 0] = np.where(given["matter"][:, 2] == 1, given["matter"][:, 0], 0.0)
    facing = np.where(given["matter"][:, 2] == 1, given["matter"][:, 0], 0.04)
    found = shaded(page, given)
    nv = (given["normal"] * given["eye"]).sum(1)
    whole = mirrored_share(given["matter"][:, 1], nv, np.ones(COUNT))
    single = mirrored_share(given["matter"][:, 1], nv, np.zeros(COUNT))
    assert (whole >= single).all()
    rough, at, table = _table()
    from scipy.interpolate import RegularGridInterpolator

    once = RegularGridInterpolator((rough, at), table.sum(axis=2))(
        np.stack([given["matter"][:, 1], np.clip(nv, 0.02, 1)], axis=1)
    )
    expected = ggx(given, facing) * (1 + facing * (1 / once - 1))[:, None] * given["key"]
    # What further bounces add is fitted; the rest is exact.
    np.testing.assert_allclose(found, expected, rtol=0.05, atol=2e-3)
    dark = facing == 0.04
    np.testing.assert_allclose(found[dark], expected[dark], rtol=0.004, atol=2e-4)


def test_rough_white_ground_scatters_by_lamberts_cosine(page):
    """And by what is not mirrored on the way in and out."""
    given = places(2, scattered=np.zeros(3), mirrored=np.zeros(3))
    given["matter"][:, [0, 1, 2]] = 1.0, 1.0, 0.0
    found = shaded(page, given)
    nv, nl = ((given["normal"] * given[k]).sum(1) for k in ("eye", "light"))
    facing = np.full(COUNT, 0.04)
    kept = [1 - mirrored_share(given["matter"][:, 1], c, facing) for c in (nv, nl)]
    mu, weight = np.polynomial.legendre.leggauss(32)
    mu, weight = 0.5 + 0.5 * mu, 0.5 * weight
    average = 1 - (2 * mu * weight * mirrored_share(np.ones(32), mu, np.full(32, 0.04))).sum()
    matte = (kept[0] * kept[1] / (np.pi * average) * nl)[:, None]
    np.testing.assert_allclose(found, (matte + ggx(given, facing)) * given["key"], rtol=0.03, atol=2e-3)


def furnaces(page, albedo: float, roughness: float, metallic: float, cosine: float) -> tuple[float, float]:
    """What comes back toward the eye of a key light that stands everywhere at once, and of a white sky, by the shader."""
    count = 8191
    # Half the directions by the facets (Walter et al. 2007, equations 35 and 36), half by the cosine; the balance of both
    # (Veach and Guibas 1995).
    rng = np.random.default_rng(5)
    a2 = max(roughness**2, 0.002) ** 2
    v = np.array([np.sqrt(1 - cosine**2), cosine, 0.0])
    u, turn = rng.random((2, count))
    turn *= 2 * np.pi
    by_facet = np.arange(count) % 2 == 0
    up = np.where(by_facet, np.sqrt((1 - u) / (1 + (a2 - 1) * u)), np.sqrt(u))
    side = np.sqrt(1 - up**2)
    way = np.stack([side * np.cos(turn), up, side * np.sin(turn)], axis=1)
    light = np.where(by_facet[:, None], 2 * (way @ v)[:, None] * way - v, way)
    h = unit(light + v)
    nl, nh, vh = light[:, 1], h[:, 1], h @ v
    density = 0.5 * a2 / (np.pi * (nh**2 * (a2 - 1) + 1) ** 2) * nh / (4 * np.maximum(vh, 1e-9))
    density += 0.5 * np.maximum(nl, 0) / np.pi
    above = nl > 1e-4
    # One place more: no key light there, and the sky instead.
    light = np.concatenate([light, [[0.0, 1, 0]]])
    white = np.zeros((count + 1, 3))
    white[count] = 1
    given = {
        "matter": np.broadcast_to([albedo, roughness, metallic, 1.0], (count + 1, 4)), "normal": np.array([[0.0, 1, 0]] * (count + 1)),
        "eye": np.broadcast_to(v, (count + 1, 3)), "light": light, "key": 1 - white, "scattered": white, "mirrored": white,
        "open": np.ones((count + 1, 1)), "behind": white, "thin": np.zeros((count + 1, 1)),
    }  # fmt: skip
    back = shaded(page, given)[:, 0]
    return float(np.where(above, back[:count] / density, 0).mean()), float(back[count])


@pytest.mark.parametrize("metallic", [0.0, 0.5, 1.0])
def test_nothing_comes_back_brighter_than_it_went_in_from_the_key_light_the_sky_or_both(page, metallic):
    """White matter, down to grazing eyes. It was 1.31 at a roughness of 0.3, and rough metal lost 69 %."""
    for roughness in (0.15, 0.3, 0.6, 1.0):
        for cosine in (0.08, 0.25, 0.6, 1.0):
            of_key, of_sky = furnaces(page, 1.0, roughness, metallic, cosine)
            where = (roughness, cosine, of_key, of_sky)
            assert of_key < 1.06 and of_sky < 1.005, where
            assert 0.5 * (of_key + of_sky) < 1.03, where
            # Nothing is lost, either, but by what is half a metal.
            if metallic != 0.5:
                assert of_key > 0.9 and of_sky > 0.99, where


def test_what_is_scattered_and_what_is_mirrored_come_back_by_their_shares(page):
    given = places(3, key=np.zeros(3))
    given["matter"][:, 3] = 1.0
    found = shaded(page, given)
    nv = (given["normal"] * given["eye"]).sum(1)
    albedo, roughness, metallic = given["matter"][:, :3].T
    share = mirrored_share(roughness, nv, np.where(metallic == 1, albedo, 0.04))[:, None]
    matte = (albedo * (1 - metallic))[:, None] * (1 - share) * given["scattered"]
    np.testing.assert_allclose(found, matte + share * given["mirrored"], atol=0.03)


def test_occlusion_takes_from_what_is_scattered_and_mirrored_and_not_from_the_key_light(page):
    """By the published formulas: see lit.glsl. The shape's and the material's are multiplied: common practice."""
    rng = np.random.default_rng(9)
    given = places(4, count=1024, open=rng.uniform(0.1, 1, (1024, 1)))
    none = np.zeros(3)
    clear = {**given, "open": np.ones((1024, 1)), "matter": given["matter"] * [1, 1, 1, 0] + [0, 0, 0, 1]}
    only = {k: shaded(page, {**clear, **{o: none for o in ("key", "scattered", "mirrored") if o != k}}) for k in ("key", "scattered", "mirrored")}  # fmt: skip
    open_ = given["matter"][:, 3] * given["open"][:, 0]
    albedo, roughness = given["matter"][:, :2].T
    a, b, c = 2.0404 * albedo - 0.3324, -4.7951 * albedo + 0.6417, 2.7552 * albedo + 0.6903
    left = np.maximum(open_, ((open_ * a + b) * open_ + c) * open_)
    nv = (given["normal"] * given["eye"]).sum(1)
    seen = np.clip((nv + open_) ** np.exp2(-16 * roughness - 1) - 1 + open_, 0, 1)
    expected = only["key"] + only["scattered"] * left[:, None] + only["mirrored"] * seen[:, None]
    np.testing.assert_allclose(shaded(page, given), expected, rtol=2e-3, atol=2e-4)
    assert (left >= open_ - 1e-9).all() and left.max() < 1.001


def test_what_is_thin_lets_through_what_falls_on_its_back_and_no_more_in_all(page):
    rng = np.random.default_rng(12)
    thin = rng.uniform(0.1, 1, (COUNT, 1))
    given = places(11, scattered=np.zeros(3), mirrored=np.zeros(3), thin=thin)
    given["matter"][:, 1:3] = 1.0, 0.0
    back = {
        **given,
        "light": given["light"]
        - 2 * (given["light"] * given["normal"]).sum(1, keepdims=True) * given["normal"],
    }
    nv, nl = ((given["normal"] * given[k]).sum(1, keepdims=True) for k in ("eye", "light"))
    kept = 1 - mirrored_share(np.ones(COUNT), nv[:, 0], np.full(COUNT, 0.04))[:, None]
    albedo = given["matter"][:, :1]
    expected = albedo * kept * thin / 2 / np.pi * nl * given["key"]
    np.testing.assert_allclose(shaded(page, back), expected, rtol=0.02, atol=1e-3)
    # What comes through is missing on the front.
    thick = shaded(page, {**given, "thin": np.zeros((COUNT, 1))})
    matte = thick - ggx(given, np.full(COUNT, 0.04)) * given["key"]
    np.testing.assert_allclose(thick - shaded(page, given), matte * thin / 2, rtol=0.05, atol=2e-3)
    # In even light from all sides it is as bright as if it were thick.
    around = {
        **given,
        "key": np.zeros(3),
        "scattered": np.ones(3),
        "behind": np.ones(3),
        "mirrored": np.ones(3),
    }
    around["matter"][:, 3] = 1.0
    even = shaded(page, {**around, "thin": np.zeros((COUNT, 1))})
    np.testing.assert_allclose(shaded(page, around), even, rtol=1e-4)


def written(page, expression: str, values: np.ndarray) -> np.ndarray:
    given = places(5, count=len(values), normal=values)
    fragment = HEAD + f"void main() {{ o = vec4({expression}, 1.0); }}\n"
    wide = {n: np.broadcast_to(np.asarray(given[n], np.float32), (len(values), w)) for n, w in INPUTS.items()}
    return run(page, VERTEX, fragment, wide, 1)[0, :, :3]


def test_the_tone_map_and_the_screens_curve_are_their_tables(page):
    light = np.array([[0.18] * 3, [1.0] * 3, [4.0, 2.0, 0.5], [0.02] * 3, [0.76, 0.2, 0.1]])
    mapped = written(page, "tone_mapped(v_normal)", light)
    np.testing.assert_allclose(mapped[0], 0.14, atol=1e-6)
    np.testing.assert_allclose(mapped[1], 0.869091, atol=1e-5)
    np.testing.assert_allclose(mapped[2], [0.983256, 0.639951, 0.382473], atol=1e-5)
    # Below 0.08 the toe: x − (x − 6.25 x²); at a peak of 0.76 − 0.04 nothing is pressed yet.
    np.testing.assert_allclose(mapped[3], 6.25 * 0.02**2, atol=1e-6)
    np.testing.assert_allclose(mapped[4], np.array([0.76, 0.2, 0.1]) - 0.04, atol=1e-6)
    linear = np.array([[0.2140411, 0.0031308, 0.0015], [0.18, 0.5, 1.0]])
    shown = written(page, "encoded(v_normal)", linear)
    np.testing.assert_allclose(shown, [[0.5, 0.04045, 0.01938], [0.461356, 0.735357, 1.0]], atol=2e-5)
