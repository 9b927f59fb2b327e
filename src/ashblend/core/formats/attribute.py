"""A set of weights on its way into a file."""

from dataclasses import dataclass
from typing import Literal

from ashblend.core.arrays import F32

Bits = Literal[8, 16, 32]


@dataclass(frozen=True)
class ExportAttribute:
    """name: attribute name in the file ("_MASK0", "COLOR_0"). values: (vertices, 1 to 4) in 0..1.

    bits: 8 or 16 for normalised integers, 32 for floats. set_name, channels: what a GLB's extras say of it; empty for
    nothing.
    """

    name: str
    values: F32
    bits: Bits
    set_name: str = ""
    channels: tuple[str, ...] = ()
