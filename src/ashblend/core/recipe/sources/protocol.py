"""What a source of a term is."""

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from ashblend.core.tree import HostExpression, Node


def as_it_is(value: HostExpression) -> HostExpression:
    return value


@dataclass(frozen=True)
class SourceValue:
    """node: what the source is worth at the place. measured: from the units the artist sets ends in to the
    node's own. falls: the node's value falls where the artist's rises.
    """

    node: Node
    measured: Callable[[HostExpression], HostExpression] = as_it_is
    falls: bool = False


class SourceDocument(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")
