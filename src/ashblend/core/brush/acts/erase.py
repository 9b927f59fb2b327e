"""Lift the paint off, back to the undercoat."""

from ashblend.core.brush.acts.protocol import Act

ERASE = Act("Erase", "paint", None)
