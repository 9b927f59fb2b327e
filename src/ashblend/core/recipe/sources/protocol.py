"""What a source of a term is."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ashblend.core.arrays import F64
from ashblend.core.source_document import SourceDocument, Unit
from ashblend.core.tree.host import HostExpression
from ashblend.core.tree.node import Node


def as_it_is(value: HostExpression) -> HostExpression:
    return value


def as_found(values: F64, _: Mapping[str, float]) -> F64:
    return values


@dataclass(frozen=True)
class SourceValue:
    """node: what the source is worth at the place. measured: from the units the artist sets ends in to the
    node's own. told: back from those to the artist's, by facts of the surface. falls: the node's value falls where
    the artist's rises. whole: it runs from 0 to 1, so that a ramp between those changes nothing.
    """

    node: Node
    measured: Callable[[HostExpression], HostExpression] = as_it_is
    told: Callable[[F64, Mapping[str, float]], F64] = as_found
    falls: bool = False
    whole: bool = False


__all__ = ["SourceDocument", "SourceValue", "Unit", "as_found", "as_it_is"]
