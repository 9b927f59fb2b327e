"""Compressed files, .gltf with parts, zips; sizes and up axes of files that say neither.

Draco and meshopt are written by the reference encoders (DracoPy, meshopt), which our code does not call.
"""

import base64
import io
import json
import struct
import zipfile

import DracoPy
import meshopt
import numpy as np
import pytest
from glbs import GlbMaker, pack_glb
from hypothesis import given
from hypothesis import strategies as st
from shapes import plane, sphere

from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.bundle import one_file
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb_write import add_to_glb
from ashblend.core.formats.registry import read_mesh
from ashblend.core.prepare.place import Placing, guess_placing, placed
from ashblend.core.sites.mesh import Mesh

LIMITS = Limits()


def parts() -> tuple[Mesh, np.ndarray, np.ndarray]:
    """A sphere with UVs and colours of eight bits."""
    mesh = sphere(2)
    random = np.random.default_rng(3)
    colours = random.integers(0, 256, (mesh.vertex_count, 4)).astype(np.uint8)
    uv = random.random((mesh.vertex_count, 2)).astype(np.float32)
    return mesh, uv, colours


def plain() -> tuple[dict, bytes]:
    mesh, uv, colours = parts()
    maker = GlbMaker()
    attributes = {
        "POSITION": maker.add(mesh.positions, bounds=True),
        "TEXCOORD_0": maker.add(uv),
        "COLOR_0": maker.add(colours, normalized=True),
    }
    indices = maker.add(mesh.triangles.astype("<u2").reshape(-1, 1), target=34963)
    primitive = {"attributes": attributes, "indices": indices, "material": 0}
    maker.document["materials"] = [{"name": "Stone", "extras": {"kept": True}}]
    maker.document["meshes"] = [{"name": "Ball", "primitives": [primitive]}]
    maker.document["buffers"] = [{"byteLength": len(maker.binary)}]
    return maker.document, maker.binary


def draco() -> bytes:
    document, _ = plain()
    mesh, uv, colours = parts()
    packed = DracoPy.encode(
        mesh.positions, mesh.triangles, colors=colours, tex_coord=uv.astype(np.float64),
        quantization_bits=20, preserve_order=True,
    )  # fmt: skip
    ids = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}
    for accessor in document["accessors"]:
        accessor.pop("bufferView")
    document["bufferViews"] = [{"buffer": 0, "byteOffset": 0, "byteLength": len(packed)}]
    said = {"POSITION": ids[0], "TEXCOORD_0": ids[3], "COLOR_0": ids[2]}
    primitive = document["meshes"][0]["primitives"][0]
    primitive["extensions"] = {"KHR_draco_mesh_compression": {"bufferView": 0, "attributes": said}}
    document["extensionsUsed"] = document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    document["buffers"] = [{"byteLength": len(packed)}]
    return pack_glb(document, packed)


def meshopted() -> bytes:
    document, binary = plain()
    packed = b""
    for number, view in enumerate(document["bufferViews"]):
        accessor = document["accessors"][number]
        raw = binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]
        count = accessor["count"]
        stride = len(raw) // count
        if view["target"] == 34963:
            encoded = meshopt.encode_gltf_buffer(np.frombuffer(raw, "<u2").astype(np.uint32), "TRIANGLES")
            mode = "TRIANGLES"
        else:
            encoded = meshopt.encode_gltf_buffer(
                np.frombuffer(raw, np.uint8).reshape(count, stride), "ATTRIBUTES"
            )
            mode = "ATTRIBUTES"
        packed += b"\0" * (-len(packed) % 4)
        said = {
            "buffer": 0, "byteOffset": len(packed), "byteLength": len(encoded), "byteStride": stride,
            "count": count, "mode": mode,
        }  # fmt: skip
        packed += encoded
        view.update(buffer=1, extensions={"EXT_meshopt_compression": said})
    document["buffers"] = [
        {"byteLength": len(packed)},
        {"byteLength": len(binary), "extensions": {"EXT_meshopt_compression": {"fallback": True}}},
    ]
    document["extensionsUsed"] = document["extensionsRequired"] = ["EXT_meshopt_compression"]
    return pack_glb(document, packed)


def loose() -> dict[str, bytes]:
    """The same as a .gltf with two buffers of its own and a texture."""
    document, binary = plain()
    half = document["bufferViews"][2]["byteOffset"]
    for view in document["bufferViews"][2:]:
        view["buffer"], view["byteOffset"] = 1, view["byteOffset"] - half
    document["buffers"] = [
        {"byteLength": half, "uri": "parts/first%20half.bin"},
        {"byteLength": len(binary) - half, "uri": "second.bin"},
    ]
    document["images"] = [{"uri": "parts/stone.png"}, {"uri": "nowhere.jpg"}]
    return {
        "ball.gltf": json.dumps(document).encode(),
        "parts/first half.bin": binary[:half],
        "second.bin": binary[half:],
        "parts/stone.png": b"\x89PNG of a sort",
    }


def zipped(files: dict[str, bytes], folder: str = "") -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(folder + name, data)
    return file.getvalue()


def same_as_plain(data: bytes, within: float = 0.0) -> Mesh:
    mesh, uv, colours = parts()
    read = read_mesh("ball.glb", data)
    assert np.abs(read.positions - mesh.positions).max() <= within
    assert np.abs(read.uvs[0] - uv).max() <= within
    np.testing.assert_array_equal(np.rint(read.colours[0].values * 255), colours)
    # Packers may begin a triangle at another of its corners; which way round it runs stays.
    turned = [np.roll(mesh.triangles, by, axis=1) for by in range(3)]
    assert np.logical_or.reduce([(read.triangles == way).all(axis=1) for way in turned]).all()
    assert [g.name for g in read.groups] == ["Ball"]
    return read


WAYS = {
    "draco": (lambda: one_file([("ball.glb", draco())], LIMITS), 1e-5, "compressed (Draco)"),
    "meshopt": (lambda: one_file([("ball.glb", meshopted())], LIMITS), 0, "compressed (meshopt)"),
    "loose": (lambda: one_file(list(loose().items()), LIMITS), 0, "kept as one GLB"),
    "dropped flat": (
        lambda: one_file([(n.rpartition("/")[2], d) for n, d in loose().items()], LIMITS), 0, "kept as one GLB",
    ),
    "zip": (lambda: one_file([("ball.zip", zipped(loose()))], LIMITS), 0, "kept as one GLB"),
    "zip in a folder": (
        lambda: one_file([("x.zip", zipped({**loose(), ".ball.gltf": b"?"}, "Old Town/"))], LIMITS), 0, "kept as one",
    ),
    "zipped draco": (lambda: one_file([("x.zip", zipped({"ball.glb": draco()}))], LIMITS), 1e-5, "Draco"),
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_every_way_a_mesh_is_packed_gives_the_same_mesh_and_one_plain_file(way):
    make, within, said = WAYS[way]
    bundle = make()
    assert bundle.name == "ball.glb" and any(said in note for note in bundle.notes)
    read = same_as_plain(bundle.data, within)
    # It goes out again with weights, as any other file.
    weights = np.linspace(0, 1, read.vertex_count * 4, dtype=np.float32).reshape(-1, 4)
    again = read_mesh("again.glb", add_to_glb(bundle.data, [ExportAttribute("_MASK0", weights, 32)]))
    np.testing.assert_array_equal(again.colours[1].values, weights)
    size = struct.unpack_from("<I", bundle.data, 12)[0]
    document = json.loads(bundle.data[20 : 20 + size])
    assert "extensionsRequired" not in document and "compression" not in json.dumps(document)
    assert document["materials"] == [{"name": "Stone", "extras": {"kept": True}}]


def test_a_compressed_file_can_be_read_without_being_unpacked_first():
    same_as_plain(draco(), 1e-5)
    assert "Draco" in read_mesh("a.glb", draco()).notes[0]


def test_textures_come_along_and_those_that_are_missing_are_told():
    bundle = one_file(list(loose().items()), LIMITS)
    size = struct.unpack_from("<I", bundle.data, 12)[0]
    document = json.loads(bundle.data[20 : 20 + size])
    first, second = document["images"]
    view = document["bufferViews"][first["bufferView"]]
    begin = 20 + size + 8 + view["byteOffset"]
    assert bundle.data[begin : begin + view["byteLength"]] == b"\x89PNG of a sort"
    assert first["mimeType"] == "image/png" and second == {"uri": "nowhere.jpg"}
    assert any("1 of its textures" in note for note in bundle.notes)


def test_a_gltf_with_everything_inside_is_one_file():
    document, binary = plain()
    uri = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
    document["buffers"][0]["uri"] = uri
    same_as_plain(one_file([("Ball.GLTF", json.dumps(document).encode())], LIMITS).data)


def test_quantised_positions_are_placed_by_their_node():
    """KHR_mesh_quantization: 16-bit positions without normalisation, the node holds the scale."""
    mesh = plane(5, 2.0)
    maker = GlbMaker()
    stored = np.rint(mesh.positions * 1000).astype("<i2")
    normals = np.tile(np.array([0, 127, 0], "i1"), (mesh.vertex_count, 1))
    attributes = {"POSITION": maker.add(stored), "NORMAL": maker.add(normals, normalized=True)}
    indices = maker.add(mesh.triangles.astype("<u4").reshape(-1, 1), target=34963)
    maker.document["meshes"] = [{"primitives": [{"attributes": attributes, "indices": indices}]}]
    maker.document["nodes"][0]["scale"] = [0.001, 0.001, 0.001]
    maker.document["extensionsUsed"] = maker.document["extensionsRequired"] = ["KHR_mesh_quantization"]
    read = read_mesh("q.glb", maker.bytes())
    np.testing.assert_allclose(read.positions, mesh.positions, atol=1e-3)
    np.testing.assert_allclose(read.normals, [[0, 1, 0]] * mesh.vertex_count, atol=1e-6)


def _broken(change) -> bytes:
    data = draco()
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    change(document)
    return pack_glb(document, data[20 + size + 8 :])


REFUSED = {
    "nothing": ([], "Nothing"),
    "only a picture": ([("a.png", b"x")], "no kind of mesh"),
    "two": ([("a.obj", b"x"), ("b.ply", b"x")], "2 meshes came together"),
    "no parts": ([("ball.gltf", loose()["ball.gltf"])], "which was not there"),
    "short part": ([*{**loose(), "second.bin": b"xy"}.items()], "shorter than"),
    "no json": ([("ball.gltf", b"{")], "JSON"),
    "no zip": ([("a.zip", b"PK\x03\x04nothing")], "cannot be unpacked"),
    "a bomb": ([("a.zip", zipped({"a.obj": bytes(3_000_000)}))], "at most"),
    "count": ([("a.glb", _broken(lambda d: d["accessors"][0].update(count=7)))], "contradicts"),
    "far too many": ([("a.glb", _broken(lambda d: d["accessors"][0].update(count=10**9)))], "vertices"),
    "other id": (
        [("a.glb", _broken(
            lambda d: d["meshes"][0]["primitives"][0]["extensions"]["KHR_draco_mesh_compression"][
                "attributes"].update(POSITION=99)
        ))],
        "contradicts",
    ),
    "cut off": (
        [("a.glb", _broken(lambda d: d["bufferViews"][0].update(byteLength=40)))], "cannot be undone",
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", REFUSED)
def test_what_cannot_be_put_together_is_said(case):
    files, said = REFUSED[case]
    with pytest.raises(FormatError, match=said) as refusal:
        one_file(files, Limits(file_bytes=2_000_000))
    assert refusal.value.remedy


@given(st.integers(0, 2**32 - 1), st.sampled_from(["draco", "meshopt"]))
def test_damaged_compression_is_refused_or_read_and_never_worse(seed, kind):
    random = np.random.default_rng(seed)
    data = bytearray({"draco": draco, "meshopt": meshopted}[kind]())
    head = 20 + struct.unpack_from("<I", data, 12)[0] + 8
    for at in random.integers(head, len(data), random.integers(1, 12)):
        data[at] = random.integers(256)
    try:
        bundle = one_file([("a.glb", bytes(data))], LIMITS)
        read_mesh(bundle.name, bundle.data)
    except FormatError as error:
        assert error.problem and error.remedy


# Size and up axis


def box(size: tuple[float, float, float], low: tuple[float, float, float]) -> Mesh:
    corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], np.float32)
    positions = (corners * size + low).astype(np.float32)
    return Mesh(positions, np.array([[0, 1, 2], [1, 3, 2]], np.uint32))


@pytest.mark.parametrize(
    ("size", "low", "unit", "up"),
    [
        ((0.4, 1.9, 0.4), (-0.2, 0, -0.2), 1.0, "y"),  # a post in metres
        ((0.4, 0.4, 1.9), (-0.2, -0.2, 0), 1.0, "z"),  # the same as another program has it
        ((40, 40, 190), (-20, -20, 0), 0.01, "z"),
        ((71, 70, 60), (-35, -35, -30), 0.01, "y"),  # a nut, all round
        ((900, 1300, 300), (-450, -700, -150), 0.01, "z"),  # an aeroplane lying on its belly
        ((12000, 8000, 14000), (0, 0, 0), 0.001, "y"),
        ((1024, 90, 1024), (0, 0, 0), 1.0, "y"),  # ground
        ((1024, 1024, 90), (0, 0, 0), 1.0, "z"),
    ],
)  # fmt: skip
def test_unit_and_up_axis_are_guessed(size, low, unit, up):
    assert guess_placing(box(size, low)) == Placing(metres_per_unit=unit, up=up)


@given(st.sampled_from(["x", "y", "z"]), st.sampled_from([0.001, 0.01, 1.0, 25.4]))
def test_placing_scales_and_turns_and_mirrors_nothing(up, unit):
    mesh = sphere(2)
    out = placed(mesh, Placing(metres_per_unit=unit, up=up))
    matrix = Placing(metres_per_unit=unit, up=up).matrix
    assert np.linalg.det(matrix) == pytest.approx(unit**3)
    axis = np.eye(3)["xyz".index(up)]
    np.testing.assert_allclose(matrix @ axis, [0, unit, 0], atol=1e-9)
    np.testing.assert_allclose(out.positions, mesh.positions @ matrix.T, rtol=1e-6, atol=1e-6)
    np.testing.assert_array_equal(out.triangles, mesh.triangles)


def test_obj_files_bring_their_material_libraries_and_they_are_not_needed():

    data = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n"
    assert one_file([("a.obj", data), ("a.mtl", b"newmtl x")], LIMITS).name == "a.obj"
