"""How a format says no."""

from dataclasses import dataclass


class FormatError(ValueError):
    """problem: what is wrong with the file. remedy: what the artist can do about it."""

    def __init__(self, problem: str, remedy: str) -> None:
        super().__init__(f"{problem} {remedy}")
        self.problem = problem
        self.remedy = remedy


@dataclass(frozen=True)
class Limits:
    """How large a file may be."""

    file_bytes: int = 512 * 1024 * 1024
    vertices: int = 8_000_000
    triangles: int = 16_000_000


def too_many(vertices: int, triangles: int, limits: Limits) -> FormatError:
    return FormatError(
        f"The mesh has {vertices:,} vertices and {triangles:,} triangles; "
        f"at most {limits.vertices:,} and {limits.triangles:,} can be painted here.",
        "Split it into parts or reduce it.",
    )
