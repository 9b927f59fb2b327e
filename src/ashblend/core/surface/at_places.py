"""Outputs of a tree (properties, masks, shares, terms) anywhere on a surface, in bands of bounded memory.

Every input that a tree may ask for is supplied here and nowhere else: what the surface hands over, weights,
measures, and how a place is looked at.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.blend.inputs import SurfaceInputs
from ashblend.core.emit.numpy_reference import Textures
from ashblend.core.emit.work_out import WorkOut
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.sites.patch import Places, Window
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.convert import Sets, four_weights_at, set_at, values_on
from ashblend.core.surface.lending import hear_own
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.tree.node import Node
from ashblend.core.tree.pack import PackName

# Decoded textures of materials and of pictures, in the order asked for.
Decoded = Mapping[PackName, Sequence[F32]]
ReadTextures = Callable[[list[UUID], list[UUID]], Decoded]

# Places worked out at a time.
BAND = 65_536


def seen(known: Mapping[str, F64]) -> dict[str, F64]:
    """How places (k,) with a normal are looked at: from straight above and from near by.

    What a place is does not depend on where somebody stands.
    """
    normals = known["normal"]
    return {"view": normals, "away": np.zeros((normals.shape[0], 1))}


class AtPlaces:
    """Outputs at places of a level. weights: of each set that the tree reads, in its order; None where there is none.

    document: plain JSON that the outputs' parameters point into.
    """

    def __init__(
        self,
        inputs: SurfaceInputs,
        outputs: Mapping[str, Node],
        document: Any,
        textures: Textures,
        weights: Sequence[OpenSet | None] = (),
    ) -> None:
        self._inputs = inputs
        self._weights = weights
        self._work = WorkOut(outputs, document, inputs.facts, textures)
        self._widths = {name: node.width for name, node in outputs.items()}

    def at(self, places: Places) -> dict[str, F64]:
        """Every output (k, width) at places (k,)."""
        count = places.faces.shape[0]
        out = {name: np.empty((count, width)) for name, width in self._widths.items()}
        for begin in range(0, count, BAND):
            rows = slice(begin, min(begin + BAND, count))
            here = Places(places.faces[rows], places.shares[rows])
            for name, values in self._work.at(self._known(here), rows.stop - begin).items():
                out[name][rows] = values
        return out

    def _known(self, places: Places) -> dict[str, F64]:
        known = self._inputs.on_triangles(places.faces, places.shares)
        known |= seen(known)
        for number, found in enumerate(self._weights):
            if found is None:
                known[f"weights{number}"] = np.zeros((places.faces.shape[0], 4))
            else:
                known[f"weights{number}"] = four_weights_at(found, places)
        return known


class AtSites:
    """A node at the sites of a set, window by window. asks_places: positions or normals matter; else windows may lack them.

    document: plain JSON that the node's parameters point into. glancing: rough ideas of measures will do. Raises Refusal for
    channels that are not there.
    """

    def __init__(
        self,
        shape: Shape,
        sets: Sets,
        found: OpenSet,
        node: Node,
        lowering: Lowering,
        document: Any,
        read_textures: ReadTextures,
        glancing: bool = False,
    ) -> None:
        self._found = found
        self._inputs = shape.inputs(found.level)
        read = lowering.materials or lowering.pictures
        textures = read_textures(list(lowering.materials), list(lowering.pictures)) if read else {}
        self._work = WorkOut({"value": node}, document, self._inputs.facts, textures)
        self.asks_places = not self._work.asks.isdisjoint(AT_HAND)
        hear_own(shape, sets, lowering.measures)
        self._measures = [shape.measures.at(m, found.sites, glancing) for m in lowering.measures]
        self._weights = [
            [
                values_on(found, sets, ChannelAddress(channel_set=ident, channel=number))
                for number in range(len(set_at(sets, ChannelAddress(channel_set=ident, channel=0)).channels))
            ]
            for ident in lowering.channel_sets
        ]

    def at(self, window: Window) -> F32 | F64:
        """(k,) the node's values at the sites of a window."""
        count = window.sites.shape[0]
        streams: dict[str, F32 | F64] = {}
        if self.asks_places:
            streams["position"] = window.positions.astype(np.float64) - self._inputs.origin
            streams["normal"] = window.normals.astype(np.float64)
        for number, reads in enumerate(self._weights):
            held = np.zeros((count, 4))
            for channel, read in enumerate(reads):
                held[:, channel] = read(window.sites)
            streams[f"weights{number}"] = held
        for number, measured in enumerate(self._measures):
            streams[f"measure{number}"] = measured(window.sites)[:, None]
        missing = self._work.asks - streams.keys()
        if missing:
            streams |= self._looked_for(window.sites, missing)
        return self._work.at(streams, count)["value"][:, 0]

    def _looked_for(self, sites: U32, names: Collection[str]) -> dict[str, F64]:
        places = self._found.sites.on_surface(sites)
        known = self._inputs.on_triangles(places.faces, places.shares)
        known |= seen(known)
        return {name: values for name, values in known.items() if name in names}


# What every window with places has.
AT_HAND = ("position", "normal")
