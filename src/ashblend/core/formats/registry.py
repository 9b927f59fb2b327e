"""All formats of meshes. A new one is one new file and one line in FORMATS."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePath

from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb import read_glb
from ashblend.core.formats.obj import read_obj
from ashblend.core.formats.ply import read_ply
from ashblend.core.formats.sound import require_sound
from ashblend.core.sites.mesh import Mesh


@dataclass(frozen=True)
class Format:
    """name: for people. suffix: of file names, with the dot. read: bytes to a checked mesh."""

    name: str
    suffix: str
    read: Callable[[bytes, Limits], Mesh]


FORMATS = (
    Format("glTF binary", ".glb", read_glb),
    Format("PLY", ".ply", read_ply),
    Format("OBJ", ".obj", read_obj),
)


def read_mesh(file_name: str, data: bytes, limits: Limits | None = None) -> Mesh:
    """Read a mesh by its file name's ending and make sure it can be painted.

    Raises FormatError with what is wrong and what to do; never returns half a mesh.
    """
    limits = limits or Limits()
    suffix = PurePath(file_name).suffix.lower()
    for candidate in FORMATS:
        if candidate.suffix == suffix:
            if len(data) > limits.file_bytes:
                raise FormatError(
                    f"The file is {len(data) / 1e6:.0f} MB; at most {limits.file_bytes / 1e6:.0f} MB can be read.",
                    "Split the mesh, or export it without textures and animations.",
                )
            if not data:
                raise FormatError("The file is empty.", "Export it again and check its size.")
            return require_sound(candidate.read(data, limits), limits)
    known = ", ".join(f.suffix for f in FORMATS)
    raise FormatError(f"{file_name!r} is not a kind of mesh file known here.", f"Use one of {known}.")
