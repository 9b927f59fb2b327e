"""Several files dropped together, or a zip of them, as the one file that is kept.

A .gltf with its parts becomes a GLB, whose buffers and pictures it then holds itself; compressed geometry is laid
out plainly. Whatever else lies beside the mesh (a .mtl, textures that nothing names) is left out.
"""

import base64
import binascii
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import unquote

from ashblend.core.formats.budget import Budget, decoding
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb_reader import DAMAGED, open_json
from ashblend.core.formats.glb_write import write_container
from ashblend.core.formats.plain_glb import MESHOPT, ChunkBytes, plain_glb
from ashblend.core.formats.registry import FORMATS
from ashblend.core.formats.unzip import MOST_FILES, unzipped

# What may be one of several files of a mesh, or hold them; and what lies beside one.
LOOSE = (".gltf", ".zip")
PARTS = (".bin", ".png", ".jpg", ".jpeg", ".mtl")
PICTURES = {".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg"}

Files = Mapping[str, bytes]


@dataclass(frozen=True)
class Bundle:
    """The mesh file that is kept. notes: what was done to make it one file."""

    name: str
    data: bytes
    notes: tuple[str, ...] = ()


def _suffix(name: str) -> str:
    return PurePosixPath(name).suffix.lower()


def _part(files: Files, uri: str) -> bytes | None:
    """A part by the address that the file has for it: by its whole path, else by its name alone."""
    wanted = PurePosixPath(unquote(uri))
    if str(wanted) in files:
        return files[str(wanted)]
    found = [data for name, data in files.items() if PurePosixPath(name).name == wanted.name]
    return found[0] if len(found) == 1 else None


def _embedded(uri: str) -> bytes:
    try:
        return base64.b64decode(uri.partition(",")[2], validate=True)
    except (binascii.Error, ValueError) as error:
        raise FormatError("An embedded buffer cannot be decoded.", DAMAGED) from error


def _buffers(document: dict[str, Any], files: Files, out: "_Parts") -> list[int]:
    """Where each buffer begins in what is laid out."""
    begins = []
    for entry in document.get("buffers", []):
        uri = entry.get("uri")
        if uri is None:
            begins.append(out.add("", b""))
            continue
        data = _embedded(uri) if uri.startswith("data:") else _part(files, uri)
        if data is None:
            raise FormatError(
                f"The geometry is in another file ({uri[:80]!r}), which was not there.",
                "Drop the .gltf together with all its parts, or all of them in one .zip.",
            )
        if len(data) < int(entry["byteLength"]):
            raise FormatError(f"{uri[:80]!r} is shorter than the .gltf says.", DAMAGED)
        begins.append(out.add(uri, data))
    return begins


class _Parts:
    """Parts laid out one after another; one that is named often is there once."""

    def __init__(self, budget: Budget) -> None:
        self.chunk = ChunkBytes()
        self._budget = budget
        self._known: dict[str, int] = {}

    def add(self, name: str, data: bytes) -> int:
        """Where it begins. Raises FormatError."""
        if name not in self._known:
            self._budget.take(len(data), repr(name[:80]))
            self._known[name] = self.chunk.add(data)
        return self._known[name]


def _packed(document: dict[str, Any], files: Files, budget: Budget) -> tuple[bytes, tuple[str, ...]]:
    """A GLB of a .gltf and its parts."""
    out = _Parts(budget)
    begins = _buffers(document, files, out)
    for view in document.get("bufferViews", []):
        for place in (view, *(view.get("extensions", {}).get(name) for name in MESHOPT)):
            if place is not None:
                place["byteOffset"] = int(place.get("byteOffset", 0)) + begins[int(place["buffer"])]
                place["buffer"] = 0
    missing = 0
    for image in document.get("images", []):
        uri = image.get("uri")
        if uri is None or uri.startswith("data:"):
            continue
        data, kind = _part(files, uri), PICTURES.get(_suffix(unquote(uri)))
        if data is None or kind is None:
            missing += 1
            continue
        views = document.setdefault("bufferViews", [])
        views.append({"buffer": 0, "byteOffset": out.add(uri, data), "byteLength": len(data)})
        del image["uri"]
        image.update(bufferView=len(views) - 1, mimeType=kind)
    notes = ["The .gltf and its parts are kept as one GLB."]
    if missing:
        notes.append(f"{missing} of its textures were not there; painting does not need them.")
    document["buffers"] = [{"byteLength": out.chunk.length}]
    if not out.chunk.length:
        del document["buffers"]
    return write_container(document, out.chunk.joined()), tuple(notes)


def _from_gltf(name: str, files: Files, budget: Budget) -> tuple[bytes, tuple[str, ...]]:
    document = open_json(files[name])
    base = PurePosixPath(name).parent
    # Addresses in the file are seen from where it lies.
    beside = {
        str(PurePosixPath(n).relative_to(base)) if PurePosixPath(n).is_relative_to(base) else n: data
        for n, data in files.items()
    }
    try:
        return _packed(document, beside, budget)
    except FormatError:
        raise
    except (KeyError, IndexError, TypeError, ValueError, AttributeError) as error:
        raise FormatError("The file contradicts itself: what it refers to is not there.", DAMAGED) from error


def one_file(files: Sequence[tuple[str, bytes]], limits: Limits) -> Bundle:
    """The mesh among files that came together. Raises FormatError."""
    with decoding():
        return _one_file(files, limits)


def _one_file(files: Sequence[tuple[str, bytes]], limits: Limits) -> Bundle:
    budget = Budget(sum(len(data) for _, data in files))
    if len(files) > MOST_FILES:
        raise FormatError(f"{len(files):,} files came together.", "Drop one mesh with its parts.")
    every: dict[str, bytes] = {}
    for name, data in files:
        every.update(unzipped(name, data, limits, budget) if _suffix(name) == ".zip" else {name: data})
    # What some systems pack along begins with a dot.
    kinds = (".gltf", *(form.ending for form in FORMATS))
    meshes = [n for n in every if _suffix(n) in kinds and not PurePosixPath(n).name.startswith(".")]
    known = ", ".join(sorted(kinds))
    if not meshes:
        named = ", ".join(repr(PurePosixPath(n).name) for n in list(every)[:3]) or "Nothing"
        raise FormatError(
            f"{named}: no kind of mesh file that is known here.", f"Use one of {known}, or a .zip of it."
        )
    if len(meshes) > 1:
        raise FormatError(
            f"{len(meshes)} meshes came together: {', '.join(PurePosixPath(n).name for n in meshes[:4])}.",
            "Drop one at a time, with its parts.",
        )
    name = meshes[0]
    data = every[name]
    notes: tuple[str, ...] = ()
    short = PurePosixPath(name).name
    if _suffix(name) == ".gltf":
        data, notes = _from_gltf(name, every, budget)
        short = f"{PurePosixPath(name).stem}.glb"
    if _suffix(short) == ".glb" and data:
        data, more = plain_glb(data, limits, budget)
        notes = (*notes, *more)
    return Bundle(short, data, notes)
