"""Back ends of the expression tree."""

from ashblend.core.emit.glsl import GlslBlend, Sampling, emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.shares import LayerShares, layer_shares
from ashblend.core.emit.tape import Tape, flatten
from ashblend.core.emit.tape_kernel import play

__all__ = [
    "GlslBlend",
    "LayerShares",
    "Sampling",
    "Tape",
    "emit_glsl",
    "evaluate",
    "flatten",
    "layer_shares",
    "parameter_values",
    "play",
]
