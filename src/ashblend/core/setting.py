"""What an artist can set of a document, as the document says it itself; the page draws it."""

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

Pick = Literal[
    "",
    "group",
    "border",
    "channel",
    "own channel",
    "another channel",
    "lender",
    "places",
    "key light",
    "neighbour",
    "material",
    "picture",
    "uv",
    "colouring",
]


class Setting(BaseModel):
    """How an artist sets a field of a document. key: the field, or the way to one in a part of it ("finish/tint").

    control: a number by a slider, or one of the choices; else a switch, a linear colour, a curve, a part that is there or
    not (and what it is first), a button for another random number, or only words, which `about` has. low, high: of a
    slider, logarithmic or even; step: its steps, 0 for what fits. choices: in place of a slider; names: what they are
    called; puts: what each of them sets, where that is several fields.
    pick: what it is picked from, where that depends on the surface: its groups, their borders, its channels, the channel that
    is this one, one beside the document, channels that can be borrowed, places on it, the direction of the key light,
    surfaces around it, materials and pictures of the project, UV sets; or by what a tint colours. compass: it is a bearing,
    shown as one. only: it matters only while another field holds one of some values. free: nothing need be picked.
    """

    model_config = ConfigDict(frozen=True)

    key: str = ""
    title: str = ""
    about: str = ""
    control: Literal["", "switch", "colour", "curve", "part", "another", "words"] = ""
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    step: float = 0.0
    logarithmic: bool = False
    whole: bool = False
    choices: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    puts: Mapping[str, dict[str, Any]] | None = None
    part: dict[str, Any] | None = None
    compass: bool = False
    pick: Pick = ""
    free: bool = False
    only: tuple[str, tuple[str, ...]] | None = None


def share(key: str, title: str, about: str) -> Setting:
    """A number from 0 to 1."""
    return Setting(key=key, title=title, about=about)


def metres(key: str, title: str, about: str, low: float, high: float) -> Setting:
    return Setting(key=key, title=title, about=about, low=low, high=high, unit="m")


def size(key: str, title: str, about: str, low: float, high: float) -> Setting:
    """Metres over several powers of ten."""
    return Setting(key=key, title=title, about=about, low=low, high=high, unit="m", logarithmic=True)


def colour(key: str, title: str, about: str) -> Setting:
    """A linear colour."""
    return Setting(key=key, title=title, about=about, control="colour")


def switch(key: str, title: str, about: str) -> Setting:
    return Setting(key=key, title=title, about=about, control="switch")


def words(text: str) -> Setting:
    return Setting(control="words", about=text)
