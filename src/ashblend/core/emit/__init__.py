"""Back ends of the expression tree: each writes or evaluates one node kind at a time."""

from ashblend.core.emit.glsl import GlslBlend, Sampling, emit_glsl
from ashblend.core.emit.numpy_reference import evaluate, parameter_values
from ashblend.core.emit.shares import LayerShares, layer_shares

__all__ = [
    "GlslBlend",
    "LayerShares",
    "Sampling",
    "emit_glsl",
    "evaluate",
    "layer_shares",
    "parameter_values",
]
