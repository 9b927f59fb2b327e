"""Outputs of a tree worked out at places, by the back end that suits how many there are.

Tried: the tape machine for everything. Loading it takes a second in a new process, which a probe of one place and
small surfaces would wait for; and it wants decoded texels of one size, sixteen bytes each, which a blend's are too
many for. So few places, and whatever reads packed texels, go to the reference.
"""

from collections.abc import Mapping
from functools import cached_property
from typing import Any

import numpy as np

from ashblend.core.arrays import F32, F64
from ashblend.core.emit.numpy_reference import Textures, evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.tape import Tape, flatten
from ashblend.core.emit.tape_kernel import play
from ashblend.core.tree.node import Node, SiteInput
from ashblend.core.tree.walk import in_order

# Site inputs by name, (k, width) each.
Streams = Mapping[str, F32 | F64]

# So many places are worked out by the reference.
FEW = 4096


class WorkOut:
    """outputs: by name. document: plain JSON that their parameters point into. facts: of the surface.

    asks: names of the site inputs that are read.
    """

    def __init__(
        self, outputs: Mapping[str, Node], document: Any, facts: Mapping[str, float], textures: Textures
    ) -> None:
        self._outputs = outputs
        self._parameters = parameter_values(outputs, document, facts)
        self._textures = textures
        self._decoded = {
            pack: [texels for texels in slots if isinstance(texels, np.ndarray)]
            for pack, slots in textures.items()
        }
        self._packed = any(len(self._decoded[pack]) < len(slots) for pack, slots in textures.items())
        self.asks = frozenset(node.name for node in in_order(outputs.values()) if isinstance(node, SiteInput))

    @cached_property
    def _tape(self) -> Tape:
        return flatten(self._outputs)

    def at(self, inputs: Streams, count: int) -> dict[str, F32 | F64]:
        """Every output (count, width) at `count` places. inputs: at least what is asked for."""
        if count > FEW and not self._packed:
            return dict(play(self._tape, inputs, self._parameters, self._decoded, count))
        # It tells by them how many there are.
        told = {name: inputs[name] for name in self.asks} or {"position": np.zeros((count, 3))}
        found = evaluate(self._outputs, told, self._parameters, self._textures)
        return {name: np.broadcast_to(values, (count, values.shape[1])) for name, values in found.items()}
