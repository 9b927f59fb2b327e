"""What a recipe may read at the sites of a set, window by window."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any
from uuid import UUID

import numpy as np

from ashblend.core.arrays import F32, F64, U32
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.tape import flatten
from ashblend.core.emit.tape_kernel import play
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.sites.patch import Window
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.convert import Sets, set_at, values_on
from ashblend.core.surface.lending import hear_own
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.shape import Shape
from ashblend.core.tree.node import Node
from ashblend.core.tree.pack import PackName

# Decoded texels of materials and of pictures, in the order asked for.
Texels = Mapping[PackName, Sequence[F32]]
ReadTexels = Callable[[list[UUID], list[UUID]], Texels]

# So few sites the reference works out before the tape machine is loaded, which takes a second in a new process.
FEW = 4096


class AtSites:
    """A node worked out at sites of a set. asks_places: positions or normals matter; else windows may lack them.

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
        texels: ReadTexels,
        glancing: bool = False,
    ) -> None:
        self._found = found
        self._inputs = shape.inputs(found.level)
        self._node = node
        outputs = {"value": node}
        self._tape = flatten(outputs)
        self._parameters = parameter_values(outputs, document, self._inputs.facts)
        read = lowering.materials or lowering.pictures
        self._texels = texels(list(lowering.materials), list(lowering.pictures)) if read else {}
        # Positions and normals are at hand in every window; the rest is looked for only when it is read.
        self._more = {name for name, _ in self._tape.columns} - {"position", "normal"}
        self.asks_places = any(name in ("position", "normal") for name, _ in self._tape.columns)
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
        if any(not name.startswith(("weights", "measure")) for name in self._more):
            streams |= self._looked_for(window.sites)
        for number, reads in enumerate(self._weights):
            held = np.zeros((count, 4))
            for channel, read in enumerate(reads):
                held[:, channel] = read(window.sites)
            streams[f"weights{number}"] = held
        for number, measured in enumerate(self._measures):
            streams[f"measure{number}"] = measured(window.sites)[:, None]
        if count <= FEW:
            # It tells by them how many there are.
            streams = streams or {"position": np.zeros((count, 3))}
            told = {name: values.astype(np.float64) for name, values in streams.items()}
            few = evaluate({"value": self._node}, told, self._parameters, self._texels)["value"]
            return np.broadcast_to(few, (count, 1))[:, 0]
        played = play(self._tape, streams, self._parameters, self._texels, count)
        return played["value"][:, 0]

    def _looked_for(self, sites: U32) -> dict[str, F64]:
        places = self._found.sites.on_surface(sites)
        known = self._inputs.on_triangles(places.faces, places.shares)
        # Nobody looks at a site: a material is read there as from straight above and from near by.
        known |= {"away": np.zeros((sites.shape[0], 1)), "view": known["normal"]}
        return {name: values for name, values in known.items() if name in self._more}
