"""All formats of meshes. A new one is one new file and one line in FORMATS."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import PurePath

from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.glb import read_glb
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.obj import read_obj, write_obj
from ashblend.core.formats.ply import read_ply, write_ply
from ashblend.core.formats.sound import require_sound
from ashblend.core.sites.mesh import Mesh

Write = Callable[[Mesh, Sequence[ExportAttribute], str], bytes]


@dataclass(frozen=True)
class Writing:
    """One way in which a format is written. kind: what an export calls it. title, about, says: for the artist; the last of
    what the file is. write: a mesh with the weights of sets and a name as bytes. channels: how many of a set have a
    place. many: several sets have, each as an attribute by its name. bits: it is asked how finely weights are kept.
    """

    kind: str
    title: str
    about: str
    says: str
    write: Write
    channels: int = 4
    many: bool = False
    bits: bool = True


@dataclass(frozen=True)
class Format:
    """name: for people. ending: of file names, with the dot. read: bytes to a mesh. certain: the format says what unit and
    which way up.
    """

    name: str
    ending: str
    read: Callable[[bytes, Limits], Mesh]
    certain: bool = False
    writings: tuple[Writing, ...] = ()


RGBA = "A new file. The set becomes the vertex properties red, green, blue and alpha."

FORMATS: tuple[Format, ...] = (
    Format(
        "glTF binary",
        ".glb",
        read_glb,
        certain=True,
        writings=(
            Writing(
                "glb",
                "GLB",
                "Binary glTF 2.0",
                "A new file. It has the mesh, its groups as materials, and the weights.",
                build_glb,
                many=True,
            ),
        ),
    ),
    Format(
        "PLY",
        ".ply",
        read_ply,
        writings=(
            Writing("ply", "PLY", "Binary PLY", RGBA, lambda mesh, sets, _: write_ply(mesh, sets[0])),
            Writing(
                "ply-ascii",
                "PLY text",
                "PLY as readable text",
                RGBA,
                lambda mesh, sets, _: write_ply(mesh, sets[0], binary=False),
            ),
        ),
    ),
    Format(
        "OBJ",
        ".obj",
        read_obj,
        writings=(
            Writing(
                "obj",
                "OBJ",
                "Text with colours behind the positions",
                "A new file. Red, green and blue stand as numbers behind each position; OBJ has no place for a fourth "
                "channel.",
                lambda mesh, sets, _: write_obj(mesh, sets[0]),
                channels=3,
                bits=False,
            ),
        ),
    ),
)


def writings() -> dict[str, tuple[Format, Writing]]:
    """Every way in which a mesh is written, by kind, with its format."""
    return {writing.kind: (form, writing) for form in FORMATS for writing in form.writings}


def format_of(file_name: str) -> Format | None:
    """The format that a file's name says, or None."""
    ending = PurePath(file_name).suffix.lower()
    return next((form for form in FORMATS if form.ending == ending), None)


def read_mesh(file_name: str, data: bytes, limits: Limits | None = None) -> Mesh:
    """Read a mesh by its file name's ending and make sure it can be painted.

    Raises FormatError with what is wrong and what to do; never returns half a mesh.
    """
    limits = limits or Limits()
    form = format_of(file_name)
    if form is None:
        known = ", ".join(f.ending for f in FORMATS)
        raise FormatError(f"{file_name!r} is not a kind of mesh file known here.", f"Use one of {known}.")
    if len(data) > limits.file_bytes:
        raise FormatError(
            f"The file is {len(data) / 1e6:.0f} MB; at most {limits.file_bytes / 1e6:.0f} MB can be read.",
            "Split the mesh, or export it without textures and animations.",
        )
    if not data:
        raise FormatError("The file is empty.", "Export it again and check its size.")
    return require_sound(form.read(data, limits), limits)
