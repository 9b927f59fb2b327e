"""Formats in and out, with other readers as the reference, and what is done with broken files."""

import io
import json
import struct
import subprocess
import time
import tracemalloc
import zlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from glbs import GlbMaker, pack_glb, rich_glb, split_glb
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import plane, sphere

from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.budget import DECODERS
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb_write import add_to_glb, build_glb
from ashblend.core.formats.images import read_image, write_png
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.obj import write_obj
from ashblend.core.formats.ply import write_ply
from ashblend.core.formats.registry import read_mesh
from ashblend.core.formats.sound import require_sound
from ashblend.core.formats.text_numbers import all_numbers
from ashblend.core.sites.mesh import ColourSet, Group, Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.sites.uv_texels import UVTexels

WEB = Path(__file__).parents[2] / "web"
VALIDATE = """
import { validateBytes } from 'gltf-validator';
let text = '';
for await (const part of process.stdin) text += part;
const reports = [];
for (const file of JSON.parse(text)) {
  const report = await validateBytes(new Uint8Array(Buffer.from(file, 'base64')));
  reports.push(report.issues.messages.filter((m) => m.severity === 0).map((m) => m.code + ' ' + m.pointer));
}
console.log(JSON.stringify(reports));
"""


def validator_errors(files: list[bytes]) -> list[list[str]]:
    """Errors of the Khronos glTF validator for each file."""
    import base64

    run = subprocess.run(
        ["node", "--input-type=module", "-e", VALIDATE],
        input=json.dumps([base64.b64encode(f).decode() for f in files]),
        capture_output=True,
        text=True,
        cwd=WEB,
        check=True,
    )
    return json.loads(run.stdout)


def weights(count: int, seed: int = 0, width: int = 4) -> np.ndarray:
    return np.random.default_rng(seed).random((count, width)).astype(np.float32)


# GLB


def test_a_rich_glb_is_read_whole():
    data = rich_glb()
    mesh = read_mesh("a.glb", data)
    raw, binary = split_glb(data)
    assert mesh.vertex_count == 60
    assert [g.name for g in mesh.groups] == ["Slip · Setts", "Slip · Kerb", "mesh 1"]
    assert [g.count for g in mesh.groups] == [10, 15, 18]
    assert [(c.name, c.bits, c.values.shape) for c in mesh.colours] == [
        ("COLOR_0", 8, (60, 4)),
        ("COLOR_1", 16, (60, 3)),
        ("COLOR_2", 32, (60, 4)),
    ]
    assert len(mesh.uvs) == 2 and set(mesh.attributes) == {"_WIND"}
    # Node transforms, checked by hand: turn by 90° about y takes x to −z, after scaling.
    position = raw["accessors"][raw["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]
    view = raw["bufferViews"][position["bufferView"]]
    local = np.frombuffer(binary, "<f4", 120, view["byteOffset"]).reshape(40, 3) * [2, 1, 0.5]
    world = np.stack([local[:, 2], local[:, 1], -local[:, 0]], axis=1) + [1, 2, -3]
    np.testing.assert_allclose(mesh.positions[:40], world, atol=1e-5)


def test_world_positions_agree_with_trimesh():
    data = rich_glb(seed=3)
    scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
    ours = read_mesh("a.glb", data)
    corners = ours.positions[ours.triangles[:25].reshape(-1)]
    theirs = []
    for name in ("Slip", "Slip_1"):
        node = next(n for n in scene.graph.nodes_geometry if scene.graph[n][1] == name)
        transform, geometry = scene.graph[node]
        part = scene.geometry[geometry]
        theirs.append(trimesh.transform_points(part.vertices[part.faces.reshape(-1)], transform))
    np.testing.assert_allclose(corners, np.concatenate(theirs), atol=1e-4)


@pytest.mark.parametrize("bits", [8, 16, 32])
@pytest.mark.parametrize("name", ["_MASK0", "COLOR_0", "COLOR_3"])
def test_adding_weights_keeps_everything_else_bit_for_bit(name, bits):
    data = rich_glb()
    values = weights(60)
    if name == "COLOR_3":
        # The second mesh has no colours at all, so COLOR_3 alone there would not be valid.
        with pytest.raises(FormatError, match="COLOR_0"):
            add_to_glb(data, [ExportAttribute(name, values, bits)])
        return
    out = add_to_glb(data, [ExportAttribute(name, values, bits)])
    before, binary = split_glb(data)
    after, longer = split_glb(out)
    assert longer[: len(binary)] == binary
    for key in ("asset", "scene", "scenes", "nodes", "materials"):
        assert after[key] == before[key]
    assert after["accessors"][: len(before["accessors"])] == before["accessors"]
    assert after["bufferViews"][: len(before["bufferViews"])] == before["bufferViews"]
    for old, new in zip(before["meshes"], after["meshes"], strict=True):
        for p, q in zip(old["primitives"], new["primitives"], strict=True):
            assert {k: v for k, v in q["attributes"].items() if k != name} == {
                k: v for k, v in p["attributes"].items() if k != name
            }
            assert {k: v for k, v in q.items() if k != "attributes"} == {
                k: v for k, v in p.items() if k != "attributes"
            }
    again = read_mesh("b.glb", out)
    stored = next(c for c in again.colours if c.name == name)
    expected = values if bits == 32 else quantise(values, bits) / np.float64(2**bits - 1)
    np.testing.assert_array_equal(stored.values, expected.astype(np.float32))


def test_another_library_reads_the_same_values():
    values = weights(60, seed=5)
    out = add_to_glb(rich_glb(), [ExportAttribute("_MASK0", values, 8)])
    gltf = pygltflib.GLTF2().load_from_bytes(out)
    blob = gltf.binary_blob()
    primitive = gltf.meshes[0].primitives[1]
    accessor = gltf.accessors[getattr(primitive.attributes, "_MASK0")]  # noqa: B009 - a name that pygltflib keeps
    view = gltf.bufferViews[accessor.bufferView]
    read = np.frombuffer(blob, np.uint8, accessor.count * 4, view.byteOffset).reshape(-1, 4)
    np.testing.assert_array_equal(read, quantise(values[:40], 8))


def _random_mesh(seed: int, vertices: int, triangles: int, uv: int, normals: bool, groups: int) -> Mesh:
    rng = np.random.default_rng(seed)
    n = rng.standard_normal((vertices, 3)).astype(np.float32)
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    faces = rng.integers(0, vertices, (triangles, 3)).astype(np.uint32)
    faces[0] = (0, 1, 2)  # at least one with an area
    cuts = np.linspace(0, triangles, groups + 1).astype(int)
    return Mesh(
        positions=rng.standard_normal((vertices, 3)).astype(np.float32),
        triangles=faces,
        normals=n if normals else None,
        uvs=tuple(rng.random((vertices, 2)).astype(np.float32) for _ in range(uv)),
        groups=tuple(Group(f"g{i}", int(a), int(b - a)) for i, (a, b) in enumerate(pairwise(cuts)) if b > a),
    )


meshes = st.builds(
    _random_mesh,
    st.integers(0, 10_000),
    st.integers(3, 60),
    st.integers(1, 80),
    st.integers(0, 2),
    st.booleans(),
    st.integers(1, 3),
)


def _same_mesh(a: Mesh, b: Mesh) -> None:
    np.testing.assert_array_equal(a.positions, b.positions)
    np.testing.assert_array_equal(a.triangles, b.triangles)
    assert (a.normals is None) == (b.normals is None)
    if a.normals is not None and b.normals is not None:
        np.testing.assert_array_equal(a.normals, b.normals)
    assert len(a.uvs) == len(b.uvs)
    for p, q in zip(a.uvs, b.uvs, strict=True):
        np.testing.assert_array_equal(p, q)


@given(meshes, st.sampled_from([8, 16, 32]), st.sampled_from(["_MASK0", "COLOR_0"]))
def test_built_glbs_round_trip(mesh, bits, name):
    values = weights(mesh.vertex_count, seed=1)
    data = build_glb(mesh, [ExportAttribute(name, values, bits)], "Mesh")
    again = read_mesh("a.glb", data)
    _same_mesh(mesh, again)
    assert again.groups == mesh.groups, "extras carry the names"
    assert again.colours[0].bits == bits
    expected = values if bits == 32 else quantise(values, bits) / np.float64(2**bits - 1)
    np.testing.assert_array_equal(again.colours[0].values, expected.astype(np.float32))


@settings(max_examples=8)
@given(st.lists(meshes, min_size=4, max_size=4), st.integers(0, 99))
def test_the_khronos_validator_finds_no_error(several, seed):
    # Vertices that no triangle uses are allowed; degenerate triangles are only a hint.
    files = [
        build_glb(mesh, [ExportAttribute(name, weights(mesh.vertex_count, seed), bits)], "Mesh")
        for mesh, name, bits in zip(
            several, ("_MASK0", "COLOR_0", "_MASK0", "COLOR_0"), (8, 16, 32, 8), strict=True
        )
    ]
    files += [
        add_to_glb(rich_glb(seed), [ExportAttribute("_MASK0", weights(60, seed), bits)])
        for bits in (8, 16, 32)
    ]
    assert validator_errors([rich_glb(seed)]) == [[]], "the file made for the test is itself valid"
    assert validator_errors(files) == [[]] * len(files)


def test_the_validator_does_find_errors():
    document, binary = split_glb(rich_glb())
    document["accessors"][0]["count"] = 10**6
    assert validator_errors([pack_glb(document, binary)])[0]


def test_sparse_accessors_and_quantised_positions():
    maker = GlbMaker()
    position = maker.add(np.array([[0, 0, 0], [1000, 0, 0], [0, 0, 1000], [9, 9, 9]], "<i2"), bounds=True)
    rows = maker.add(np.array([[3]], "u1"), target=34963)
    values = maker.add(np.array([[500, 500, 500]], "<i2"), target=34963)
    view = maker.document["accessors"]
    view[position]["sparse"] = {
        "count": 1,
        "indices": {"bufferView": view[rows]["bufferView"], "componentType": 5121},
        "values": {"bufferView": view[values]["bufferView"]},
    }
    maker.document["extensionsRequired"] = maker.document["extensionsUsed"] = ["KHR_mesh_quantization"]
    maker.document["nodes"] = [{"mesh": 0, "scale": [0.001, 0.001, 0.001]}]
    indices = maker.add(np.array([[0], [1], [2], [0], [2], [3]], "u1"), target=34963)
    maker.document["meshes"] = [{"primitives": [{"attributes": {"POSITION": position}, "indices": indices}]}]
    mesh = read_mesh("q.glb", maker.bytes())
    np.testing.assert_allclose(mesh.positions, [[0, 0, 0], [1, 0, 0], [0, 0, 1], [0.5, 0.5, 0.5]], atol=1e-6)


# Broken files


def _with(change) -> bytes:
    document, binary = split_glb(rich_glb())
    change(document)
    return pack_glb(document, binary)


def _nan_positions() -> bytes:
    maker = GlbMaker()
    positions = np.array([[0, 0, 0], [1, 0, 0], [0, np.nan, 1]], "<f4")
    maker.document["meshes"] = [{"primitives": [{"attributes": {"POSITION": maker.add(positions)}}]}]
    return maker.bytes()


def _flat() -> bytes:
    maker = GlbMaker()
    positions = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0]], "<f4")
    maker.document["meshes"] = [{"primitives": [{"attributes": {"POSITION": maker.add(positions)}}]}]
    return maker.bytes()


BROKEN = {
    "empty.glb": (b"", "empty"),
    "short.glb": (b"glTF\x02", "too short"),
    "other.glb": (b"PNG!" + bytes(60), "does not begin"),
    "version.glb": (struct.pack("<III", 0x46546C67, 1, 20) + bytes(8), "version 1"),
    "cut.glb": (rich_glb()[:-400], "cut off"),
    "json.glb": (pack_glb({}, b"")[:20] + b"{{{{" + bytes(20), "cannot be read|JSON|past its end"),
    "index.glb": (_with(lambda d: d["accessors"][0].update(count=4)), "refers to vertex|values for"),
    "accessor.glb": (_with(lambda d: d["accessors"][0].update(count=10**5)), "too short|more than the file"),
    "many.glb": (_with(lambda d: d["accessors"][0].update(count=10**9)), "at most"),
    "negative.glb": (_with(lambda d: d["bufferViews"][0].update(byteOffset=-8)), "too short"),
    "view.glb": (_with(lambda d: d["accessors"][0].update(bufferView=999)), "contradicts itself"),
    "outside.glb": (_with(lambda d: d["buffers"][0].update(uri="../../etc/passwd")), "another file"),
    "loop.glb": (_with(lambda d: d["nodes"][1].update(children=[0])), "twice"),
    "points.glb": (
        _with(lambda d: [p.update(mode=0) for m in d["meshes"] for p in m["primitives"]]),
        "no triangle",
    ),
    "text.glb": (_with(lambda d: d.update(meshes="no")), "contradicts itself"),
    "nan.glb": (_nan_positions(), "not numbers"),
    "flat.glb": (_flat(), "no area"),
    "a.fbx": (b"x", "not a kind"),
    "head.ply": (b"ply\nformat ascii 1.0\n", "does not begin"),
    "cut.ply": (write_ply(plane(4, 1.0), None)[:-9], "cut off"),
    "cuttext.ply": (write_ply(plane(4, 1.0), None, binary=False)[:-9], "cut off"),
    "type.ply": (b"ply\nformat ascii 1.0\nelement vertex 1\nproperty wide x\nend_header\n1\n", "contradicts"),
    "nopos.ply": (
        b"ply\nformat ascii 1.0\nelement vertex 1\nproperty float a\nend_header\n1\n",
        "no x, y and z",
    ),
    "index.ply": (
        write_ply(plane(2, 1.0), None, binary=False).replace(b"3 0 2 1", b"3 0 2 9"),
        "refers to vertex",
    ),
    "empty.obj": (b"# nothing\n", "no faces"),
    "index.obj": (b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 7\n", "refers to vertex 7"),
    "zero.obj": (b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 0 1 2\n", "Line 4"),
    "word.obj": (b"v 0 zero 0\n", "Line 1"),
    "nan.obj": (b"v 0 0 nan\nv 1 0 0\nv 0 0 1\nf 1 2 3\n", "not numbers"),
}


@pytest.mark.parametrize("name", sorted(BROKEN))
def test_broken_files_say_what_is_wrong_and_what_to_do(name):
    data, message = BROKEN[name]
    with pytest.raises(FormatError, match=message) as caught:
        read_mesh(name, data)
    assert caught.value.remedy.endswith(".")


@settings(max_examples=150)
@given(st.data())
def test_no_damage_gets_past_the_reader(data):
    """Bytes changed anywhere: a whole mesh comes out, or a FormatError, never another exception."""
    suffix, original = data.draw(
        st.sampled_from(
            [
                ("a.glb", rich_glb()),
                ("a.ply", write_ply(plane(5, 1.0), ExportAttribute("rgba", weights(25), 8))),
                ("b.ply", write_ply(plane(5, 1.0), None, binary=False)),
                ("a.obj", write_obj(plane(5, 1.0, uv=True), ExportAttribute("rgba", weights(25), 32))),
            ]
        )
    )
    damaged = bytearray(original)
    for _ in range(data.draw(st.integers(1, 6))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] = data.draw(st.integers(0, 255))
    if data.draw(st.booleans()):
        damaged = damaged[: data.draw(st.integers(0, len(damaged)))]
    try:
        mesh = read_mesh(suffix, bytes(damaged))
    except FormatError:
        return
    assert int(mesh.triangles.max()) < mesh.vertex_count and np.isfinite(mesh.positions).all()


def tiny_glb(rows: int, meshes: int = 1) -> bytes:
    """A file of a few hundred bytes whose accessors have no data, only counts."""
    accessors = [
        {"componentType": 5126, "count": rows, "type": "VEC3"},
        {"componentType": 5125, "count": rows, "type": "SCALAR"},
    ]
    mesh = {"primitives": [{"attributes": {"POSITION": 0, "NORMAL": 0, "COLOR_0": 0}, "indices": 1}]}
    document = {"asset": {"version": "2.0"}, "accessors": accessors, "meshes": [mesh] * meshes}
    return pack_glb({**document, "buffers": [{"byteLength": 64}]}, bytes(64))


@pytest.mark.parametrize(
    "data",
    [
        tiny_glb(64_000_000),
        tiny_glb(600, 20_000),
        b"ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nend_header\n",
        b"ply\nformat ascii 1.0\nelement face 900000000000\nproperty list uchar int vertex_indices\nend_header\n",
    ],
    ids=["rows", "meshes", "ply vertices", "ply faces"],
)
def test_what_a_small_file_claims_takes_no_memory(data):
    tracemalloc.start()
    with pytest.raises(FormatError):
        read_mesh("a.ply" if data.startswith(b"ply") else "a.glb", data)
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert most < 20_000_000 + 15 * len(data), f"{most / 1e6:.0f} MB for {len(data)} bytes"


@pytest.mark.parametrize("wrong", [np.inf, -np.inf, np.nan, 1e30])
@pytest.mark.parametrize("stream", ["uv", "normal", "colour", "attribute"])
def test_a_number_that_is_none_leaves_every_stream_finite(stream, wrong):
    """An infinite UV kept a map's raster busy for good."""
    ground = plane(9, 2.0, uv=True)
    values = np.full((81, 4), 0.5, np.float32)
    values[40] = wrong
    up = np.tile(np.float32([0, 1, 0]), (81, 1))
    parts = {
        "uv": {"uvs": (np.where(np.arange(81)[:, None] == 40, np.float32([wrong, 1e30]), ground.uvs[0]),)},
        "normal": {"normals": np.where(np.arange(81)[:, None] == 40, np.float32(wrong), up)},
        "colour": {"colours": (ColourSet("COLOR_0", values, 32),)},
        "attribute": {"attributes": {"_WEAR": values[:, :1]}},
    }
    mesh = require_sound(replace(ground, **parts[stream]), Limits())
    # A huge weight or attribute is still a number.
    if stream in ("uv", "normal") or not np.isfinite(wrong):
        assert "taken as 0" in mesh.notes[0] or "worked out anew" in mesh.notes[0]
    streams = [mesh.normals, *mesh.uvs, *(c.values for c in mesh.colours), *mesh.attributes.values()]
    assert all(np.isfinite(s).all() for s in streams if s is not None)
    sites = mesh_vertices(mesh)
    assert UVTexels(mesh, sites.normals, 256).count > 0
    assert all(np.isfinite(c.values()).all() for s in take_in(mesh, sites).sets for c in s.channels)


def test_oversized_files_are_refused():
    data = rich_glb()
    with pytest.raises(FormatError, match="at most"):
        read_mesh("a.glb", data, Limits(file_bytes=100))
    with pytest.raises(FormatError, match="60 vertices"):
        read_mesh("a.glb", data, Limits(vertices=59))


# PLY and OBJ


@given(meshes, st.booleans(), st.sampled_from([8, 16, 32]))
def test_ply_round_trips(mesh, binary, bits):
    values = weights(mesh.vertex_count, seed=2)
    again = read_mesh("a.ply", write_ply(mesh, ExportAttribute("rgba", values, bits), binary=binary))
    np.testing.assert_array_equal(mesh.positions, again.positions)
    np.testing.assert_array_equal(mesh.triangles, again.triangles)
    if mesh.uvs:
        np.testing.assert_allclose(mesh.uvs[0], again.uvs[0], atol=1e-7)
    expected = values if bits == 32 else quantise(values, bits) / np.float64(2**bits - 1)
    np.testing.assert_array_equal(again.colours[0].values, expected.astype(np.float32))


def test_trimesh_reads_our_ply_and_obj():
    mesh, values = sphere(2), weights(162, seed=3)
    ply = trimesh.load(
        io.BytesIO(write_ply(mesh, ExportAttribute("rgba", values, 8))), file_type="ply", process=False
    )
    np.testing.assert_array_equal(ply.vertices.astype(np.float32), mesh.positions)
    np.testing.assert_array_equal(ply.visual.vertex_colors, quantise(values, 8))
    with_group = Mesh(mesh.positions, mesh.triangles, groups=(Group("ball", 0, len(mesh.triangles)),))
    obj = trimesh.load(
        io.BytesIO(write_obj(with_group, ExportAttribute("rgba", values, 8))), file_type="obj", process=False
    )
    np.testing.assert_array_equal(obj.faces, mesh.triangles)
    np.testing.assert_allclose(obj.vertices, mesh.positions, atol=1e-6)
    assert np.abs(obj.visual.vertex_colors[:, :3].astype(int) - quantise(values, 8)[:, :3]).max() <= 1


def test_big_endian_and_mixed_polygons_of_other_writers():
    mesh = trimesh.creation.box()
    data = trimesh.exchange.ply.export_ply(mesh, encoding="binary")
    read = read_mesh("box.ply", data)
    np.testing.assert_allclose(read.positions, mesh.vertices, atol=1e-6)
    head = (
        b"ply\nformat binary_big_endian 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
        b"property ushort red\nproperty ushort green\nproperty ushort blue\n"
        b"element face 1\nproperty list uchar int vertex_indices\nend_header\n"
    )
    body = b"".join(
        struct.pack(">fffHHH", x, 0, z, 65535, 0, 32768) for x, z in ((0, 0), (1, 0), (1, 1), (0, 1))
    ) + struct.pack(">Biiii", 4, 0, 1, 2, 3)
    quad = read_mesh("quad.ply", head + body)
    np.testing.assert_array_equal(quad.triangles, [[0, 1, 2], [0, 2, 3]])
    np.testing.assert_allclose(quad.colours[0].values[0], [1, 0, 32768 / 65535], atol=1e-7)


def test_obj_splits_vertices_only_where_corners_differ():
    text = (
        "mtllib far/away.mtl\no slip\nv 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 0 1 0 0 1\nv 0 0 1 1 1 1\n"
        "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt .5 .5\n"
        "usemtl a\nf 1/1 2/2 3/3\nusemtl b\nf -4/5 -2/3 -1/4\n"
    )
    mesh = read_mesh("a.obj", text.encode())
    assert mesh.vertex_count == 5, "vertex 1 has two texture coordinates"
    assert [(g.name, g.count) for g in mesh.groups] == [("a", 1), ("b", 1)]
    assert mesh.colours[0].values.shape == (5, 3) and "not opened" in mesh.notes[0]


@given(meshes)
def test_obj_keeps_the_vertex_order_of_our_own_files(mesh):
    again = read_mesh("a.obj", write_obj(mesh, ExportAttribute("rgba", weights(mesh.vertex_count), 32)))
    np.testing.assert_array_equal(mesh.positions, again.positions)
    np.testing.assert_array_equal(mesh.triangles, again.triangles)
    np.testing.assert_array_equal(weights(mesh.vertex_count)[:, :3], again.colours[0].values)


# What import makes of a mesh


@given(st.floats(width=32, allow_nan=False) | st.floats(-1e6, 1e6) | st.integers(-(10**20), 10**20))
def test_written_numbers_are_read_as_python_reads_them(number):
    for text in (f"{number:.9g}", repr(number), f"+{abs(number):.6e}"):
        data = np.frombuffer(f" {text}\n".encode(), np.uint8)
        values, wrong = all_numbers(data, 0)
        assert wrong == -1 and values.shape == (1,)
        # Each factor of 10²² rounds once more; a double has at most fifteen of them.
        np.testing.assert_array_max_ulp(
            values, np.float64([float(text)]), 2 if 1e-9 < abs(number) < 1e22 else 16
        )
    nine = np.frombuffer(f"{number:.9g}".encode(), np.uint8)
    with np.errstate(over="ignore"):
        read = all_numbers(nine, 0)[0].astype(np.float32)
        np.testing.assert_array_equal(read, np.float32([float(f"{number:.9g}")]))


@pytest.mark.parametrize("text", ["1 2 x", "1.2.3", "--1", "e5", "1e", "0x10", "1,5", ".", "-"])
def test_words_that_are_no_numbers_are_told(text):
    assert all_numbers(np.frombuffer(text.encode(), np.uint8), 0)[1] >= 0


def test_ply_colours_of_any_type_mean_what_they_say():
    head = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    face = b"element face 1\nproperty list uchar int vertex_indices\nend_header\n"
    rows = b"0 0 0 10 20 30\n1 0 0 0 0 255\n0 0 1 255 0 0\n3 0 1 2\n"
    for kind in (b"int", b"uint", b"uchar", b"float"):
        colours = b"".join(b"property " + kind + b" " + name + b"\n" for name in (b"red", b"green", b"blue"))
        mesh = read_mesh("a.ply", head + colours + face + rows)
        np.testing.assert_allclose(mesh.colours[0].values[0], np.array([10, 20, 30]) / 255, atol=1e-7)
        assert bool(mesh.notes) == (kind != b"uchar")


def test_whatever_is_let_in_can_be_exported():
    """A colour set of another number alone, chunks of other kinds, deep and odd JSON."""

    def only_second(document) -> None:
        for mesh in document["meshes"]:
            for primitive in mesh["primitives"]:
                held = primitive["attributes"]
                if "COLOR_0" in held:
                    held["COLOR_1"] = held.pop("COLOR_0")

    plain = [
        lambda d: d.update(extras={"name": "\ud800"}),
        lambda d: d.update(extras=nested(150)),
        only_second,
    ]
    for change in plain:
        document, binary = split_glb(rich_glb())
        change(document)
        data = pack_glb(document, binary)
        sites = read_mesh("a.glb", data).vertex_count
        out = add_to_glb(data, [ExportAttribute("_MASK7", weights(sites), 8)])
        kept = split_glb(out)[0]
        assert kept.get("extras") == document.get("extras") and kept["nodes"] == document["nodes"]
        assert any(c.name == "_MASK7" for c in read_mesh("a.glb", out).colours)
    with pytest.raises(FormatError, match="COLOR_1 without COLOR_0"):
        add_to_glb(build_glb(plane(3, 1.0), [], "P"), [ExportAttribute("COLOR_1", weights(9), 8)])
    chunk = struct.pack("<II", 8, 0x12345678) + b"theirown"
    data = rich_glb()
    data = data[:8] + struct.pack("<I", len(data) + 16) + data[12:] + chunk
    out = add_to_glb(data, [ExportAttribute("_MASK7", weights(60), 8)])
    assert out.endswith(chunk) and struct.unpack_from("<I", out, 8)[0] == len(out)
    for text in ("[" * 100_000 + "]" * 100_000, "NaN", "Infinity"):
        json_text = b'{"asset":{"version":"2.0"},"extras":' + text.encode() + b"}"
        json_text += b" " * (-len(json_text) % 4)
        file = struct.pack("<III", 0x46546C67, 2, 20 + len(json_text))
        with pytest.raises(FormatError, match="JSON"):
            read_mesh("a.glb", file + struct.pack("<II", len(json_text), 0x4E4F534A) + json_text)


def nested(depth: int) -> list:
    out: list = []
    for _ in range(depth):
        out = [out]
    return out


def test_custom_values_of_ply_go_out_as_valid_attributes():
    """A `quality`, and one that is called like what glTF keeps for itself."""
    mesh = plane(5, 1.0)
    values = np.linspace(0, 1, 25, dtype=np.float32)[:, None]
    named = replace(mesh, attributes={"quality": values, "POSITION": values, "_MASK0": values})
    data = build_glb(named, [ExportAttribute("_MASK0", weights(25), 8)], "Named")
    assert validator_errors([data]) == [[]]
    again = read_mesh("a.glb", data)
    np.testing.assert_array_equal(again.positions, mesh.positions)
    np.testing.assert_array_equal(again.attributes["_QUALITY"], values)
    np.testing.assert_array_equal(again.attributes["_POSITION"], values)


def test_obj_of_other_writers():
    """Remarks behind what counts, corners with a dangling part, continued lines, colours on some vertices."""
    text = """# a remark
v 0 0 0 1 0 0 # red
v 1 0 0
v 0 0 1 0 0 1
v 1 0 1
vt 0 0
vt 1 0
vt 0 1
g first part # named
f 1/1/ 3/3/ \\
2/2/ # note
usemtl other
f -1 2 3
"""
    mesh = read_mesh("a.obj", text.encode())
    assert len(mesh.triangles) == 2 and [g.name for g in mesh.groups] == ["first part", "other"]
    assert "1 of 4" not in " ".join(mesh.notes) and "2 of 4 vertices have no colour" in " ".join(mesh.notes)
    at = {
        tuple(p): tuple(c)
        for p, c in zip(mesh.positions.tolist(), mesh.colours[0].values.tolist(), strict=True)
    }
    assert at[0, 0, 0] == (1, 0, 0) and at[1, 0, 0] == (0, 0, 0) and at[0, 0, 1] == (0, 0, 1)


def test_all_white_colours_are_noticed():
    mesh = plane(6, 1.0)
    data = build_glb(mesh, [ExportAttribute("COLOR_0", np.ones((36, 4), np.float32), 8)], "White")
    read = read_mesh("w.glb", data)
    intake = take_in(read, mesh_vertices(read))
    assert intake.sets[0].all_white and any("all white" in n for n in intake.facts["notes"])
    assert abs(intake.facts["area"] - 1) < 1e-5


def test_existing_colours_become_channel_values():
    mesh, values = plane(6, 1.0), weights(36, seed=8)
    read = read_mesh("c.glb", build_glb(mesh, [ExportAttribute("COLOR_0", values, 16)], "Painted"))
    intake = take_in(read, mesh_vertices(read))
    assert [s.document.name for s in intake.sets] == ["COLOR_0"]
    for number, channel in enumerate(intake.sets[0].channels):
        np.testing.assert_array_equal(channel.values(), quantise(values[:, number], 16))


# Pictures


def test_images_keep_sixteen_bits_and_refuse_what_they_are_not():
    rng = np.random.default_rng(9)
    grey = rng.integers(0, 65536, (7, 5)).astype(np.uint16)
    np.testing.assert_array_equal(read_image(write_png(grey)), grey)
    colour = rng.integers(0, 256, (7, 5, 3)).astype(np.uint8)
    np.testing.assert_array_equal(read_image(write_png(colour)), colour)
    for bad in (b"", b"GIF89a" + bytes(50), write_png(colour)[:30]):
        with pytest.raises(FormatError):
            read_image(bad)


def png_head(width: int, height: int) -> bytes:
    """A PNG that says how large it is, and has no rows."""
    parts = [(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)), (b"IDAT", zlib.compress(b""))]
    chunks = [
        struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
        for kind, data in [*parts, (b"IEND", b"")]
    ]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunks)


@pytest.mark.parametrize("edge", [8193, 14_000, 40_000, 2**31 - 1])
def test_a_picture_that_is_too_large_is_called_that(edge):
    with pytest.raises(FormatError, match="pixels; at most 67 million are read"):
        read_image(png_head(edge, edge))


def test_large_pictures_are_scaled_down_as_they_are_read():
    """By area: each texel is the mean of those under it, in eight bits and in sixteen."""
    rng = np.random.default_rng(4)
    for dtype in (np.uint8, np.uint16):
        stored = rng.integers(0, np.iinfo(dtype).max, (96, 64, 3)).astype(dtype)
        small = read_image(write_png(stored), most_edge=48)
        assert small.shape == (48, 32, 3) and small.dtype == dtype
        mean = stored.reshape(48, 2, 32, 2, 3).mean(axis=(1, 3))
        assert np.abs(small - mean).max() <= 0.51
        np.testing.assert_array_equal(read_image(write_png(stored), most_edge=96), stored)


def test_no_more_pictures_are_decoded_at_a_time_than_there_are_decoders(monkeypatch):
    import cv2

    decode, now, most = cv2.imdecode, [], []

    def slow(*given):
        now.append(1)
        most.append(len(now))
        time.sleep(0.05)
        image = decode(*given)
        now.pop()
        return image

    monkeypatch.setattr(cv2, "imdecode", slow)
    data = write_png(np.zeros((8, 8, 3), np.uint8))
    with ThreadPoolExecutor(8) as pool:
        list(pool.map(read_image, [data] * (3 * DECODERS + 2)))
    assert max(most) == DECODERS
