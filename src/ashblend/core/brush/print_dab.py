"""Printing one dab onto a channel, whatever its kind of value."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import F32, U32
from ashblend.core.brush.dab_kernels import Aim, Coat, Held, gather_dab, print_weights
from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.weights import WEIGHTS


def print_dab(
    kind: ValueKind,
    offsets: NDArray[np.integer[Any]],
    sites: U32,
    fades: F32,
    coat: Coat,
    aim: Aim,
    held: Held,
    numbers: tuple[int, ...] | None,
) -> tuple[U32, U32]:
    """Gather one dab into the stroke and rewrite its sites: those changed, and those new to the stroke.

    sites: (s,), of point i from offsets[i] to offsets[i + 1]. fades: (points,). numbers: what is painted toward where a
    value is several numbers; weights go where the act aims, which may depend on what each site holds.
    """
    if kind is WEIGHTS:
        # Written in the kernel itself. Tried: as below; a dab of 6 000 sites took four times as long.
        return print_weights(offsets.view(np.uint32), sites, fades, coat, aim, held)
    changed, shares, fresh = gather_dab(offsets, sites, fades, coat, aim.allow, held.gathered)
    held.first_cover[fresh], held.first_paint[fresh] = held.cover[fresh], held.paint[fresh]
    cover, paint = (held.cover, held.paint) if coat.live else (held.first_cover, held.first_paint)
    if coat.erase:
        after = kind.lifted(cover[changed], paint[changed], shares)
    else:
        after = kind.toward(cover[changed], paint[changed], shares, np.array(numbers, np.uint16))
    held.cover[changed], held.paint[changed] = after
    return changed, fresh
