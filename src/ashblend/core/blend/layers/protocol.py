"""What a lowered layer is, and what all layers' documents have."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat

from ashblend.core.materials.look import Look
from ashblend.core.recipe.document import Recipe
from ashblend.core.setting import Setting
from ashblend.core.tree.node import Node

Name = Annotated[str, Field(min_length=1, max_length=60)]
Ident = Annotated[str, Field(pattern=r"^[a-z0-9-]{1,40}$")]
Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]


@dataclass(frozen=True)
class Laid:
    """look: with the layer on what was below. mask: as its recipe says. weight: how far it is there.

    covers: how far what was below is not to be seen any more, for shares; None for as far as it is there.
    """

    look: Look
    mask: Node
    weight: Node
    covers: Node | None = None


class LayerDocument(BaseModel):
    """What every kind of layer has; `kind` tells them apart. title, about: for the artist. mask: where it lies.

    group: id of the group that it belongs to. first: what an artist begins with where that is not the default, so that
    a new layer is seen, and seen for what it is. look: what can be set of its look. hides: whether it takes a share of the
    surface from what is under it.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str]
    about: ClassVar[str]
    first: ClassVar[Mapping[str, Any]] = {}
    look: ClassVar[tuple[Setting, ...]] = ()
    hides: ClassVar[bool] = True

    kind: str
    id: Ident
    name: Name
    visible: bool = True
    opacity: Unit = 1.0
    mask: Recipe
    group: Ident | None = None
