"""Small files that once took gigabytes: each says that it holds far more than it does, or the same many times."""

import io
import json
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import DracoPy
import meshopt
import numpy as np
from core.test_bundles import plain, zipped
from glbs import pack_glb
from shapes import sphere

from ashblend.core.formats.heights.exr import EXR
from ashblend.core.formats.heights.png import PNG
from ashblend.core.formats.terrain_package import MANIFEST

MEGA = 1_000_000


def _deflated_zip(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in parts.items():
            archive.writestr(name, data)
    return out.getvalue()


def one_buffer_often() -> bytes:
    """A .gltf that names one buffer of 4 MB 1 200 times."""
    document, binary = plain()
    padded = binary + bytes(4 * MEGA)
    document["buffers"] = [{"byteLength": len(padded), "uri": "a.bin"}] * 1200
    return _deflated_zip({"ball.gltf": json.dumps(document).encode(), "a.bin": padded})


def one_picture_often() -> bytes:
    document, binary = plain()
    document["buffers"] = [{"byteLength": len(binary), "uri": "a.bin"}]
    document["images"] = [{"uri": "a.png"}] * 1200
    return _deflated_zip(
        {"ball.gltf": json.dumps(document).encode(), "a.bin": binary, "a.png": bytes(4 * MEGA)}
    )


def overlapping_views() -> bytes:
    """600 views of the same 8 MB, in a file that says it is packed."""
    document, binary = plain()
    binary += bytes(8 * MEGA)
    document["bufferViews"] += [{"buffer": 0, "byteOffset": 0, "byteLength": len(binary)}] * 600
    document["buffers"] = [{"byteLength": len(binary)}]
    document["extensionsUsed"] = ["EXT_meshopt_compression"]
    return pack_glb(document, binary)


def one_packed_block_often() -> bytes:
    """Eight views that meshopt unpacks from one block, each to 128 MB of zeros."""
    count, stride = 8 * MEGA, 16
    packed = meshopt.encode_gltf_buffer(np.zeros((count, stride), np.uint8), "ATTRIBUTES")
    said = {"buffer": 0, "byteOffset": 0, "byteLength": len(packed), "byteStride": stride, "count": count, "mode": "ATTRIBUTES"}  # fmt: skip
    document, binary = plain()
    packed += b"\0" * (-len(packed) % 4)
    for view in document["bufferViews"]:
        view["byteOffset"] += len(packed)
    views = [{"buffer": 0, "byteLength": 16, "extensions": {"EXT_meshopt_compression": said}}] * 8
    document["bufferViews"] += views
    document["buffers"] = [{"byteLength": len(packed) + len(binary)}]
    document["extensionsUsed"] = ["EXT_meshopt_compression"]
    return pack_glb(document, packed + binary)


def one_draco_mesh_often() -> bytes:
    """190 primitives of one packed mesh of 40 000 vertices, each with accessors of its own."""
    mesh = sphere(6)
    packed = DracoPy.encode(mesh.positions, mesh.triangles, quantization_bits=14, preserve_order=True)
    ident = DracoPy.decode(packed).attributes[0]["unique_id"]
    accessors, primitives = [], []
    for number in range(190):
        accessors += [
            {"componentType": 5126, "type": "VEC3", "count": mesh.vertex_count, "min": [-9] * 3, "max": [9] * 3},
            {"componentType": 5125, "type": "SCALAR", "count": mesh.triangles.size},
        ]  # fmt: skip
        said = {"bufferView": 0, "attributes": {"POSITION": ident}}
        primitives.append(
            {
                "attributes": {"POSITION": 2 * number},
                "indices": 2 * number + 1,
                "extensions": {"KHR_draco_mesh_compression": said},
            }
        )
    document = {
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_draco_mesh_compression"],
        "buffers": [{"byteLength": len(packed)}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": len(packed)}],
        "accessors": accessors,
        "meshes": [{"primitives": primitives}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    return pack_glb(document, packed)


def empty_accessors() -> bytes:
    """64 attributes of a million rows each, none of which is anywhere in the file."""
    document, binary = plain()
    binary += bytes(2 * MEGA)
    count = 2 * MEGA
    for number in range(60):
        document["accessors"].append({"componentType": 5126, "type": "VEC4", "count": count})
        document["meshes"][0]["primitives"][0]["attributes"][f"_A{number}"] = len(document["accessors"]) - 1
    document["accessors"][0] = {"componentType": 5126, "type": "VEC3", "count": count}
    document["buffers"] = [{"byteLength": len(binary)}]
    return pack_glb(document, binary)


def _tiff(entries: list[tuple[int, int, int, int]], strip: bytes) -> bytes:
    """A TIFF of one picture and one strip. entries: tag, kind, count, value; 273 is put right."""
    at = 8 + 2 + 12 * len(entries) + 4
    out = struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", len(entries))
    for tag, kind, count, value in sorted(entries):
        out += struct.pack("<HHI", tag, kind, count)
        said = at if tag == 273 else value
        out += struct.pack("<HH", said, 0) if kind == 3 else struct.pack("<I", said)
    return out + struct.pack("<I", 0) + strip


def _picture(edge: int, bits: int, kind: int, strip: bytes, compression: int = 8) -> bytes:
    return _tiff(
        [
            (256, 4, 1, edge), (257, 4, 1, edge), (258, 3, 1, bits), (259, 3, 1, compression), (262, 3, 1, 1),
            (273, 4, 1, 0), (277, 3, 1, 1), (278, 4, 1, edge), (279, 4, 1, len(strip)), (339, 3, 1, kind),
        ],
        strip,
    )  # fmt: skip


def _zeros(count: int) -> bytes:
    """So many zeros, deflated, without ever being there."""
    packer = zlib.compressobj(9)
    piece = bytes(10 * MEGA)
    return b"".join(packer.compress(piece) for _ in range(count // len(piece))) + packer.flush()


def inflating_strip() -> bytes:
    """64² heights whose strip unpacks to 120 MB."""
    return _picture(64, 16, 1, _zeros(120 * MEGA))


def wide_planes() -> bytes:
    """8192² numbers of eight bytes."""
    return _picture(8192, 64, 3, _zeros(10 * MEGA))


def complex_planes() -> bytes:
    return _picture(256, 64, 6, zlib.compress(bytes(256 * 256 * 8)))


def _package(splat: dict[str, object], file: bytes) -> bytes:
    manifest = {
        "heights": {"file": "heights.png", "rows": 9, "cols": 9, "spacing": 1.0, "low": 0, "high": 9},
        "splat": [{"name": "S", "rows": 8, "cols": 8, "bits": 8, "channels": [{"name": "A"}], "stored": 1, **splat}],
    }  # fmt: skip
    heights = PNG.write(np.arange(81, dtype=np.uint16).reshape(9, 9))
    name = str(splat["file"])
    return zipped({MANIFEST: json.dumps(manifest).encode(), "heights.png": heights, name: file})


def huge_splat() -> bytes:
    return _package({"file": "s.tif"}, _picture(30_000, 8, 1, zlib.compress(bytes(1000))))


def _exr(path_name: str, parts: list[tuple[int, int, int]]) -> bytes:
    """parts: rows, columns and channels of each, all zeros."""
    import tempfile

    import OpenEXR

    with tempfile.TemporaryDirectory(prefix="ashblend-") as folder:
        path = Path(folder) / path_name
        made = []
        for number, (rows, cols, channels) in enumerate(parts):
            header = {
                "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "name": f"part{number}",
                "displayWindow": (np.array([0, 0], np.int32), np.array([8999, 8999], np.int32)),
            }  # fmt: skip
            planes = {f"C{c:02}": np.zeros((rows, cols), np.float16) for c in range(channels)}
            made.append(OpenEXR.Part(header, planes))
        with OpenEXR.File(made) as file:
            file.write(str(path))
        return path.read_bytes()


def many_channels() -> bytes:
    return _exr("a.exr", [(1200, 1200, 40)])


def huge_second_part() -> bytes:
    return _exr("a.exr", [(16, 16, 1), (9000, 9000, 1)])


def regions_of_zeros() -> bytes:
    """Sixteen bare regions of 18 MB each, which pack to nothing."""
    return _deflated_zip({f"g_{c}_{r}.raw": bytes(18 * MEGA) for c in range(4) for r in range(4)})


# Name with the ending that it is dropped with, and kind; all are refused but those that turn out small.
BOMBS: dict[str, tuple[Callable[[], bytes], str, str]] = {
    "one buffer often": (one_buffer_often, "a.zip", "accepted"),
    "one picture often": (one_picture_often, "a.zip", "accepted"),
    "overlapping views": (overlapping_views, "a.glb", "refused"),
    "one packed block often": (one_packed_block_often, "a.glb", "refused"),
    "one Draco mesh often": (one_draco_mesh_often, "a.glb", "refused"),
    "accessors of nothing": (empty_accessors, "a.glb", "refused"),
    "inflating strip": (inflating_strip, "a.tif", "refused"),
    "wide planes": (wide_planes, "a.tif", "refused"),
    "complex planes": (complex_planes, "a.tif", "refused"),
    "huge splat": (huge_splat, "t.zip", "refused"),
    "many channels": (many_channels, "a.exr", "refused"),
    "huge second part": (huge_second_part, "a.exr", "refused"),
    "regions of zeros": (regions_of_zeros, "r.zip", "refused"),
}
HEIGHT_KINDS = (".tif", ".exr")


def is_heights(name: str, file: str) -> bool:
    return file.endswith(HEIGHT_KINDS) or name in ("huge splat", "regions of zeros")


def flat_heights() -> bytes:
    """8193² heights that are all alike: small, and honest."""
    return PNG.write(np.full((8193, 8193), 700, np.uint16))


def wide_but_whole() -> bytes:
    return EXR.write(np.zeros((2049, 2049), np.float32))
