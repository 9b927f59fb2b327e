"""What stands around a surface, as its measures ask it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32


def _nothing(_: UUID | None) -> F32:
    return np.empty((0, 3, 3), np.float32)


@dataclass(frozen=True, eq=False)
class Around:
    """Everything, under None, or the copies of one other surface.

    names: short, another one for anything else that stands there. corners: (n, 3, 3) of triangles, in metres of the
    surface that is measured.
    """

    names: Mapping[UUID | None, str] = field(default_factory=dict)
    corners: Callable[[UUID | None], F32] = _nothing

    def name_of(self, other: UUID | None) -> str:
        """Empty where nothing stands."""
        return self.names.get(other, "")
