"""A place on a surface, as nodes: where it lies and how the surface lies there."""

from dataclasses import dataclass

from ashblend.core.tree.host import fact
from ashblend.core.tree.node import Component, Node, Parameter, SiteInput
from ashblend.core.tree.operations import dot, operation, vector

NORMAL = SiteInput("normal", 3)


def of_uv(name: str, number: int) -> str:
    """What an input or a fact of a UV set is called: uv, uv1, uv2 …"""
    return f"{name}{number or ''}"


@dataclass(frozen=True)
class Spot:
    """moved: (3) metres by which the place is displaced, or None."""

    moved: Node | None = None

    @property
    def position(self) -> Node:
        """(3) metres from the surface's origin."""
        at = SiteInput("position", 3)
        return at if self.moved is None else at + self.moved

    def right(self, uv: int) -> Node:
        """(3) unit, along u of a UV set."""
        return Component(SiteInput(of_uv("tangent", uv), 4), "xyz")

    def up(self, uv: int) -> Node:
        """(3) unit, against v, which runs down."""
        tangent = SiteInput(of_uv("tangent", uv), 4)
        return operation("cross", NORMAL, Component(tangent, "xyz")) * Component(tangent, "w")

    def over(self, uv: int) -> Node:
        """(2) place over a UV set, v down, in metres of the average."""
        name = of_uv("metres_per_uv", uv)
        at = SiteInput(of_uv("uv", uv), 2) * Parameter(name, (fact(name),))
        if self.moved is None:
            return at
        return at + vector(dot(self.right(uv), self.moved), -dot(self.up(uv), self.moved))

    def on_map(self, uv: int) -> Node:
        """(2) place over a UV set, v down, the whole of it 1 by 1."""
        if self.moved is None:
            return SiteInput(of_uv("uv", uv), 2)
        name = of_uv("metres_per_uv", uv)
        return self.over(uv) / Parameter(name, (fact(name),))

    @property
    def view(self) -> Node:
        """(3) unit, toward the eye."""
        return SiteInput("view", 3)

    @property
    def away(self) -> Node:
        """Metres from the eye."""
        return SiteInput("away", 1)
