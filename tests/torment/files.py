"""Files of every format, damaged by a seed."""

import io
import json
import struct
import zipfile
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from core.test_bundles import draco, loose, meshopted, zipped
from glbs import pack_glb
from PIL import Image
from shapes import plane

from ashblend.core.channels.channel import empty_channel
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.heights.exr import EXR
from ashblend.core.formats.heights.npy import NPY
from ashblend.core.formats.heights.png import PNG
from ashblend.core.formats.heights.raw import RAW
from ashblend.core.formats.heights.tiff import TIFF
from ashblend.core.formats.obj import write_obj
from ashblend.core.formats.ply import write_ply
from ashblend.core.formats.terrain_package import PackageChoice, PackedSet, package
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.terrain.field import HeightField
from ashblend.core.terrain.sites import CELLS, TerrainSites
from ashblend.core.terrain.terrain import terrain_of

# What a number in a file may be made into.
NUMBERS = (0, 1, -1, 2**31, 2**32 - 1, 2**63, -(2**31), 1e308, -1e308, 0.5, 10**9, 64_000_000)


@dataclass(frozen=True)
class Damaged:
    """name: with the ending that it would be dropped with. kind: "mesh", "picture" or "heights"."""

    name: str
    data: bytes
    kind: str = "mesh"


def _mesh():
    return plane(7, 2.0, uv=True)


def _weights() -> ExportAttribute:
    return ExportAttribute("COLOR_0", np.random.default_rng(2).random((49, 4)).astype(np.float32), 8)


def _picture(kind: str, mode: str) -> bytes:
    file = io.BytesIO()
    values = np.random.default_rng(3).integers(0, 255, (24, 24, 3)).astype(np.uint8)
    Image.fromarray(values).convert(mode).save(file, kind)
    return file.getvalue()


SEEDS: dict[str, Callable[[], bytes]] = {
    "plain.glb": lambda: build_glb(_mesh(), [_weights()], "Quay"),
    "draco.glb": draco,
    "meshopt.glb": meshopted,
    "binary.ply": lambda: write_ply(_mesh(), _weights()),
    "text.ply": lambda: write_ply(_mesh(), _weights(), binary=False),
    "text.obj": lambda: write_obj(_mesh(), _weights()),
    "parts.zip": lambda: zipped(loose()),
    "one.gltf": lambda: loose()["ball.gltf"],
    "map.png": lambda: _picture("PNG", "RGB"),
    "grey.png": lambda: _picture("PNG", "L"),
    "map.jpg": lambda: _picture("JPEG", "RGB"),
}


def _hills() -> np.ndarray:
    y, x = np.mgrid[:33, :33]
    return (8 * np.sin(x / 5) * np.cos(y / 6)).astype(np.float32)


def _whole() -> np.ndarray:
    return np.rint((_hills() + 8) * 4000).astype(np.uint16)


def _bundle() -> bytes:
    terrain = terrain_of(_hills(), 1.0)
    sites = TerrainSites(HeightField(terrain), 32, 32, CELLS)
    document = ChannelSetDocument(name="Splat", channels=(ChannelDocument(name="Moss"),))
    entry = PackedSet(document, sites, (empty_channel(sites.layout.extent, 0.4),))
    choice = PackageChoice(regions=2, mesh=0, splat="png")
    return package("Torn", terrain, terrain.heights, [entry], {}, choice)


# Apart from the others, whose numbers stand for what was found with them.
HEIGHTS: dict[str, Callable[[], bytes]] = {
    "grey.png": lambda: PNG.write(_whole()),
    "float.tif": lambda: TIFF.write(_hills()),
    "whole.tif": lambda: TIFF.write(_whole()),
    "float.exr": lambda: EXR.write(_hills()),
    "float.npy": lambda: NPY.write(_hills()),
    "bare.raw": lambda: RAW.write(_whole()),
    "terrain.zip": _bundle,
}


def _bytes(data: bytes, random: np.random.Generator) -> bytes:
    """A few bytes become others."""
    out = bytearray(data)
    for at in random.integers(0, len(out), int(random.integers(1, 9))):
        out[at] = int(random.integers(256))
    return bytes(out)


def _cut(data: bytes, random: np.random.Generator) -> bytes:
    return data[: int(random.integers(0, len(data)))]


def _doubled(data: bytes, random: np.random.Generator) -> bytes:
    """A run stands twice, or is gone."""
    begin, end = sorted(random.integers(0, len(data), 2))
    return data[:end] + (data[begin:] if random.random() < 0.5 else data[end + 8 :])


def _numbers(data: bytes, random: np.random.Generator) -> bytes:
    """Numbers of text become extreme ones."""
    words = data.split(b" ")
    places = [i for i, word in enumerate(words) if word.strip().lstrip(b"-").replace(b".", b"").isdigit()]
    for at in random.choice(places, min(len(places), 3)) if places else ():
        words[at] = random.choice([b"1e999", b"nan", b"-1", b"99999999999", b"inf", b"0", b"1e-320", b"x"])
    return b" ".join(words)


def _json_places(value: object, path: tuple = ()) -> Iterator[tuple]:
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _json_places(inner, (*path, key))
    elif isinstance(value, list):
        for key, inner in enumerate(value):
            yield from _json_places(inner, (*path, key))
    yield path


def _changed_json(document: object, random: np.random.Generator) -> object:
    places = [path for path in _json_places(document) if path]
    for _ in range(int(random.integers(1, 4))):
        path = places[int(random.integers(len(places)))]
        holder = document
        try:
            for step in path[:-1]:
                holder = holder[step]
            made = [*NUMBERS, "", "\ud800", "\0", None, True, [], {}, "a" * 300]
            holder[path[-1]] = made[int(random.integers(len(made)))]
        except (KeyError, IndexError, TypeError):
            continue
    return document


def _json(data: bytes, random: np.random.Generator) -> bytes:
    """Values inside the JSON of a glTF become others, of other kinds too."""
    if data[:4] != b"glTF":
        return json.dumps(_changed_json(json.loads(data), random)).encode()
    size = struct.unpack_from("<I", data, 12)[0]
    document = _changed_json(json.loads(data[20 : 20 + size]), random)
    return pack_glb(document, data[20 + size + 8 :])


def _inside_zip(data: bytes, random: np.random.Generator) -> bytes:
    """A part of the archive is damaged, and packed soundly again."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    name = sorted(parts)[int(random.integers(len(parts)))]
    parts[name] = _bytes(parts[name], random) if random.random() < 0.5 else _cut(parts[name], random)
    return zipped(parts)


WAYS = (_bytes, _cut, _doubled)
MORE = {".glb": (_json, _json), ".gltf": (_json,), ".obj": (_numbers,), ".zip": (_inside_zip,)}


def damaged_heights(number: int) -> Damaged:
    """The height map of a number."""
    return damaged(number, HEIGHTS)


def damaged(number: int, seeds: Mapping[str, Callable[[], bytes]] = SEEDS) -> Damaged:
    """The file of a number: the same every time."""
    random = np.random.default_rng(number)
    name = list(seeds)[number % len(seeds)]
    ending = name[name.rindex(".") :]
    ways = (*WAYS, *MORE.get(ending, ()), *((_numbers,) if name == "text.ply" else ()))
    data = seeds[name]()
    for _ in range(int(random.integers(1, 3))):
        try:
            data = ways[int(random.integers(len(ways)))](data, random) or b"\0"
        except Exception:
            # An earlier damage left nothing for this one to take apart.
            data = _bytes(data, random)
    kind = "heights" if seeds is HEIGHTS else "picture" if ending in (".png", ".jpg") else "mesh"
    return Damaged(name, data, kind)
