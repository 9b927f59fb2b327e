"""How a surface is looked at: the light, and from where. Saved with the surface, and no step of its history."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from ashblend.core.light.document import Light

Far = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]


class Stand(BaseModel):
    """Where the eye is: what it looks at, in metres of the world, how far away it is, and its turn and tilt in radians.

    straight: without perspective.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    target: tuple[Far, Far, Far]
    distance: Annotated[float, Field(gt=0, le=1e9)]
    turn: Annotated[float, Field(ge=-1e4, le=1e4)]
    tilt: Annotated[float, Field(ge=-1.6, le=1.6)]
    straight: bool = False


class Sight(BaseModel):
    """stand: none before anybody looked."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    light: Light = Light()
    stand: Stand | None = None
