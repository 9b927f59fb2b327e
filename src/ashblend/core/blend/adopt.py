"""Layers and recipes of one surface, laid on another."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar
from uuid import UUID

from pydantic import BaseModel

Part = TypeVar("Part", bound=BaseModel)


@dataclass(frozen=True)
class Instead:
    """What stands in for what a surface has not.

    channels: how many channels each set of the surface has. channel: the set and the channel that are taken for
    others; the same letter of that set where there is one. materials: of the project. material: which of them is
    taken for another one; fallback for those that are not named.
    """

    channels: Mapping[UUID, int]
    channel: tuple[UUID, int]
    materials: frozenset[UUID] = frozenset()
    material: Mapping[UUID, UUID] = field(default_factory=dict)
    fallback: UUID | None = None


@dataclass
class _Changes:
    channels: int = 0
    materials: int = 0


def _channel(value: dict[str, Any], instead: Instead, changes: _Changes) -> dict[str, Any]:
    if value.get("channel", 0) < instead.channels.get(UUID(str(value["channel_set"])), 0):
        return {}
    changes.channels += 1
    ident, channel = instead.channel
    if "channel" not in value:
        return {"channel_set": str(ident)}
    has_it = value["channel"] < instead.channels[ident]
    return {"channel_set": str(ident), "channel": value["channel"] if has_it else channel}


def _material(value: dict[str, Any], instead: Instead, changes: _Changes) -> dict[str, Any]:
    ident = UUID(str(value["material"]))
    found = instead.material.get(ident, instead.fallback)
    if ident in instead.materials or found is None:
        return {}
    changes.materials += 1
    return {"material": str(found)}


def _adopted(value: Any, instead: Instead, changes: _Changes) -> Any:
    if isinstance(value, list):
        return [_adopted(entry, instead, changes) for entry in value]
    if not isinstance(value, dict):
        return value
    out = {key: _adopted(entry, instead, changes) for key, entry in value.items()}
    # What another surface lends is its own.
    if value.get("channel_set") and not value.get("surface"):
        out |= _channel(value, instead, changes)
    if value.get("material"):
        out |= _material(value, instead, changes)
    return out


def adopted(part: Part, instead: Instead) -> tuple[Part, int, int]:
    """A recipe or a layer as it is on a surface that has other channels and materials.

    Also how many channels and how many materials were taken for others.
    """
    changes = _Changes()
    plain = _adopted(part.model_dump(mode="json"), instead, changes)
    return type(part).model_validate(plain), changes.channels, changes.materials
