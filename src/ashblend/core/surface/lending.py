"""Channels that measures are made from, as they are when they are asked for."""

from collections.abc import Iterable, Sequence

import numpy as np

from ashblend.core.arrays import F64, U32
from ashblend.core.channels.quantise import FULL
from ashblend.core.sites.patch import Places
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.convert import Sets, set_at
from ashblend.core.surface.neighbours import Neighbour, placed, stands_at
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.lent import Lent
from ashblend.core.survey.protocol import MeasureDocument


def lent_by(
    shape: Shape, found: OpenSet, channel: int, stands: Sequence[tuple[Shape, Neighbour]] = ()
) -> Lent:
    """A channel of a surface's set. stands: where the surface stands around others, and on whose ground; else where its
    own origin is. Raises Refusal where the set has no such channel.
    """
    set_at({found.id: found}, ChannelAddress(channel_set=found.id, channel=channel))
    held = found.channels[channel].values()
    positions, triangles, places = shape.closest_on(found.level)
    copies = [placed(positions, stands_at(ground, n), n.turn) for ground, n in stands] or [positions]
    first = positions.shape[0] * np.arange(len(copies), dtype=np.uint32)

    def once(faces: U32, shares: F64) -> Places:
        return places(faces % np.uint32(triangles.shape[0]), shares)

    return Lent(
        found.sites,
        lambda asked: held[asked] / np.float64(FULL),
        np.concatenate(copies),
        (triangles[None] + first[:, None, None]).reshape(-1, 3),
        once,
    )


def hear_own(shape: Shape, sets: Sets, measures: Iterable[MeasureDocument]) -> None:
    """Have a shape know what its own channels hold now, where measures are made from them. Raises Refusal."""
    for channel in {m.reads for m in measures if m.reads is not None}:
        if channel.surface is not None:
            continue
        found = set_at(sets, ChannelAddress(channel_set=channel.channel_set, channel=channel.channel))
        lent = lent_by(shape, found, channel.channel)
        shape.measures.hear(channel, found.name_of(channel.channel), lambda lent=lent: lent)  # type: ignore[misc]
