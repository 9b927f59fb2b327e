"""What a blend refers to, and what of that is not there."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.survey.registry import MEASURES

# Stands for what has no id.
NOBODY = UUID(int=0)


@dataclass(frozen=True)
class Reference:
    """part: document path of the ground, the layer or the drive that has it. channel: None for a whole set."""

    part: str
    kind: str
    id: UUID
    channel: int | None = None


def _in(value: Any, part: str, off: bool = True) -> Iterator[Reference]:
    """off: terms that are switched off, too."""
    if isinstance(value, list | tuple):
        for entry in value:
            yield from _in(entry, part, off)
    elif isinstance(value, dict):
        if not off and "source" in value and value.get("on") is False:
            return
        if value.get("material"):
            yield Reference(part, "material", UUID(str(value["material"])))
        if value.get("picture"):
            yield Reference(part, "picture", UUID(str(value["picture"])))
        if value.get("channel_set"):
            yield Reference(part, "channel set", UUID(str(value["channel_set"])), value.get("channel"))
        for entry in value.values():
            yield from _in(entry, part, off)


def references(document: BlendDocument, off: bool = True) -> list[Reference]:
    """Everything that the ground, layers and drives refer to, lowest first. off: by terms that are switched off, too."""
    plain = document.model_dump(mode="json")
    parts = [("/ground", plain["ground"])]
    for name in ("layers", "drives"):
        parts += [(f"/{name}/{number}", entry) for number, entry in enumerate(plain[name])]
    return [found for part, entry in parts for found in _in(entry, part, off)]


@dataclass(frozen=True)
class Reading:
    """A channel that is read. layer: by which, by its id; None for the ground and drives. name: what an artist calls it.
    shown: whether anything of it is seen.
    """

    channel_set: UUID
    channel: int
    layer: str | None
    name: str
    shown: bool


# A set without a channel is read as a colour.
COLOUR_CHANNELS = (0, 1, 2)


def readings(document: BlendDocument, off: bool = False) -> list[Reading]:
    """Which channels are read and by whom: masks, tints' colours, gradients, drives; each once, lowest first.

    off: by terms that are switched off, too.
    """
    who: dict[str, tuple[str | None, str, bool]] = {"/ground": (None, document.ground.name, True)}
    for n, layer in enumerate(document.layers):
        who[f"/layers/{n}"] = (layer.id, layer.name, document.shown(layer))
    who |= {f"/drives/{n}": (None, drive.name, drive.on) for n, drive in enumerate(document.drives)}
    found = (
        Reading(reference.id, channel, *who[reference.part])
        for reference in references(document, off)
        if reference.kind == "channel set"
        for channel in (COLOUR_CHANNELS if reference.channel is None else (reference.channel,))
    )
    return list(dict.fromkeys(found))


@dataclass(frozen=True)
class Known:
    """materials, pictures: those of the project. channels: each set that the blend may name, with how many it has."""

    materials: frozenset[UUID]
    channels: frozenset[tuple[UUID, int]]
    pictures: frozenset[UUID] = frozenset()


@dataclass(frozen=True)
class Fault:
    """Something in a part of the document that cannot be drawn. id: what it refers to that is not there."""

    part: str
    problem: str
    remedy: str
    id: UUID


def _fault(found: Reference, known: Known) -> Fault | None:
    if found.kind == "material":
        if found.id in known.materials:
            return None
        return Fault(found.part, "Its material is not there any more.", "Choose another material.", found.id)
    if found.kind == "picture":
        if found.id in known.pictures:
            return None
        return Fault(found.part, "Its picture is not there any more.", "Choose another picture.", found.id)
    count = dict(known.channels).get(found.id)
    if count is None:
        problem = "It reads a channel set that is not on this surface."
    elif found.channel is not None and found.channel >= count:
        problem = "It reads a channel that its set does not have."
    else:
        return None
    return Fault(found.part, problem, "Choose another channel.", found.id)


def _measured(part: str, value: Any) -> Iterator[Fault]:
    """What a part is made from that no pixel can work out."""
    if isinstance(value, list | tuple):
        for entry in value:
            yield from _measured(part, entry)
    elif isinstance(value, dict):
        title = MEASURES[value["kind"]].document.title if value.get("kind") in MEASURES else None
        if title is not None:
            problem = f"{title} is measured once, not at every pixel."
            yield Fault(part, problem, "Make it a channel's undercoat, and let the layer read that.", NOBODY)
        for entry in value.values():
            yield from _measured(part, entry)


def faults(document: BlendDocument, known: Known) -> list[Fault]:
    """What a blend refers to that is not there."""
    found = (_fault(reference, known) for reference in references(document))
    plain = document.model_dump(mode="json")
    parts = [(f"/{name}/{n}", entry) for name in ("layers", "drives") for n, entry in enumerate(plain[name])]
    measured = [fault for part, entry in parts for fault in _measured(part, entry)]
    return [*(fault for fault in found if fault is not None), *measured]
