"""A toy format: a line of numbers a vertex with its red, and one a triangle."""

import numpy as np

from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.registry import Format, Writing
from ashblend.core.sites.mesh import ColourSet, Mesh


def read_rows(data: bytes, _) -> Mesh:
    try:
        lines = [line.split() for line in data.decode().splitlines()]
        vertices = np.array([line[1:] for line in lines if line[0] == "v"], np.float32)
        triangles = np.array([line[1:] for line in lines if line[0] == "t"], np.uint32)
        red = np.repeat(vertices[:, 3:4], 3, axis=1)
    except (ValueError, IndexError, UnicodeDecodeError) as error:
        raise FormatError("A line is no row.", "Write it again.") from error
    return Mesh(vertices[:, :3].copy(), triangles, colours=(ColourSet("red", red, 32),))


def write_rows(mesh, sets, _) -> bytes:
    vertices = np.column_stack([mesh.positions, sets[0].values[:, 0]])
    lines = ["v " + " ".join(map(str, row)) for row in vertices.tolist()]
    lines += ["t " + " ".join(map(str, row)) for row in mesh.triangles.tolist()]
    return "\n".join(lines).encode()


ROWS = Format(
    "Rows",
    ".rows",
    read_rows,
    certain=True,
    writings=(
        Writing("rows", "Rows", "Rows of numbers", "A new file of rows.", write_rows, channels=1, bits=False),
    ),
)
