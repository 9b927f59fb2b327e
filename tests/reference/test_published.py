"""Tangents and noise against published packages, by Node."""

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest
from limits import HANG
from shapes import cylinder, plane, sphere

from ashblend.core.noise import between_corners
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.tangents import drawn_vertices

WEB = Path(__file__).parents[2] / "web"
ASK = """
import { readFileSync } from "node:fs";
import { ready, generateTangents } from "three/examples/jsm/libs/mikktspace.module.js";
import { ImprovedNoise } from "three/examples/jsm/math/ImprovedNoise.js";
const question = JSON.parse(readFileSync(process.argv[1], "utf8"));
await ready;
const noise = new ImprovedNoise();
const floats = (values) => Float32Array.from(values);
process.stdout.write(JSON.stringify({
  tangents: question.meshes.map((m) =>
    Array.from(generateTangents(floats(m.position), floats(m.normal), floats(m.uv)))),
  noise: question.places.map(([x, y, z]) => noise.noise(x, y, z)),
}));
"""


def published(folder: Path, meshes=(), places=()) -> dict:
    question = folder / "question.json"
    question.write_text(json.dumps({"meshes": list(meshes), "places": list(places)}))
    command = ["node", "--input-type=module", "-e", ASK, str(question)]
    for last in (False, True):
        try:
            run = subprocess.run(command, cwd=WEB, capture_output=True, text=True, check=True, timeout=HANG)
            return json.loads(run.stdout)
        except subprocess.TimeoutExpired:
            # Node 20 was once seen waiting for nothing, for minutes, after 0.1 s of work.
            if last:
                raise
    raise AssertionError


def bumpy(mesh: Mesh, seed: int) -> Mesh:
    """The mesh with places and map a little off, so that no two triangles are alike."""
    rng = np.random.default_rng(seed)
    positions = mesh.positions + rng.normal(0, 0.02, mesh.positions.shape).astype(np.float32)
    uv = mesh.uvs[0] + rng.normal(0, 0.004, mesh.uvs[0].shape).astype(np.float32)
    return Mesh(positions, mesh.triangles, uvs=(uv.astype(np.float32),))


def folded() -> Mesh:
    """A plane mapped there and back."""
    mesh = plane(9, 2.0)
    x, z = mesh.positions[:, 0], mesh.positions[:, 2]
    return Mesh(mesh.positions, mesh.triangles, uvs=(np.stack([np.abs(x - 1), z], 1).astype(np.float32) / 2,))


def ball() -> Mesh:
    mesh = sphere(2)
    p = mesh.positions.astype(float)
    uv = np.stack([p[:, 0] + 0.2 * p[:, 2], p[:, 1] - 0.3 * p[:, 2]], axis=1)
    return Mesh(mesh.positions, mesh.triangles, uvs=(uv.astype(np.float32),))


@pytest.mark.parametrize(
    "mesh",
    [bumpy(plane(9, 2.0, uv=True), 1), bumpy(cylinder(12, 4, 0.5, 1.0), 2), folded(), ball()],
    ids=["plane", "cylinder with a seam", "mirrored", "ball mapped through"],
)
def test_tangents_are_those_of_the_mikktspace_package(mesh, tmp_path):
    """At every corner, and with its handedness; glTF's v runs down, so that the package's sign is turned."""
    sites = mesh_vertices(mesh)
    drawn = drawn_vertices(mesh, sites.normals)
    corners = mesh.triangles.astype(int).reshape(-1)
    question = {
        "position": mesh.positions[corners].reshape(-1).tolist(),
        "normal": sites.normals[corners].reshape(-1).tolist(),
        "uv": mesh.uvs[0][corners].reshape(-1).tolist(),
    }
    expected = np.array(published(tmp_path, [question])["tangents"][0]).reshape(-1, 4)
    found = drawn.tangents[drawn.triangles.astype(int).reshape(-1)]
    # Where a triangle has no size in the map, no tangent is better than another.
    a, b, c = mesh.uvs[0][mesh.triangles.astype(int)].astype(float).transpose(1, 0, 2)
    ab, ac = b - a, c - a
    sized = np.repeat(np.abs(ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]) > 1e-9, 3)
    np.testing.assert_array_equal(found[sized, 3], -expected[sized, 3])
    apart = np.degrees(np.arccos(np.clip((found[:, :3] * expected[:, :3]).sum(axis=1), -1, 1)))
    assert apart[sized].max() < 0.1


def test_noise_between_corners_is_perlins(tmp_path):
    """Perlin (2002): the same corners, directions and fade. The table is his; ours are codes of a hash."""
    text = (WEB / "node_modules/three/examples/jsm/math/ImprovedNoise.js").read_text()
    table = [int(v) for v in text[text.index("[") + 1 : text.index("]")].split(",")] * 2

    def code(x: int, y: int, z: int) -> int:
        return table[table[table[x & 255] + (y & 255)] + (z & 255)]

    def noise(x: float, y: float, z: float) -> float:
        i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
        codes = [code(i + a, j + b, k + c) for c in (0, 1) for b in (0, 1) for a in (0, 1)]
        return float(between_corners(*codes, x - i, y - j, z - k))

    # The value that implementations of the paper are checked by (from memory).
    assert noise(3.14, 42, 7) == pytest.approx(0.13691995878400012, abs=1e-12)
    places = np.random.default_rng(1).uniform(-40, 40, (300, 3)).tolist()
    expected = published(tmp_path, places=places)["noise"]
    np.testing.assert_allclose([noise(*p) for p in places], expected, atol=1e-9)
