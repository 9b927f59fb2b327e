"""Documents of an open surface: edits are steps of its history."""

from typing import Any
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.told import told
from ashblend.core.channels.delta import constant_undercoat_delta
from ashblend.core.sets.document import (
    AnyUndercoat,
    CarriedUndercoat,
    ChannelSetDocument,
    ConstantUndercoat,
    FileUndercoat,
    MeasuredUndercoat,
)
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.deltas import SetDelta
from ashblend.store.errors import StaleRevision
from ashblend.store.ledger import Edit


def _label(before: ChannelSetDocument, after: ChannelSetDocument) -> str:
    """What was done to a set, for the history."""
    if before.name != after.name:
        return f"Rename {before.name} to {after.name}"
    for old, new in zip(before.channels, after.channels, strict=True):
        if old.name != new.name:
            return f"Rename {old.name} to {new.name}"
        if old.locked != new.locked:
            return f"{'Lock' if new.locked else 'Unlock'} {new.name}"
        if old.undercoat != new.undercoat:
            return f"Undercoat of {new.name}"
    return f"Settings of {after.name}"


def _to_constant(found: OpenSet, number: int, before: AnyUndercoat, after: AnyUndercoat) -> list[SetDelta]:
    """What an undercoat that is edited by hand changes in planes. Raises Refusal for what must be measured."""
    if before == after or (isinstance(before, ConstantUndercoat) and isinstance(after, ConstantUndercoat)):
        return []
    if isinstance(before, CarriedUndercoat) or isinstance(after, CarriedUndercoat):
        raise Refusal("Lower levels take their undercoat from level 0.", "Change it there.")
    if isinstance(after, MeasuredUndercoat):
        raise Refusal("A measured undercoat has to be worked out.", "Run its recipe instead.")
    if isinstance(before, FileUndercoat) or isinstance(after, FileUndercoat):
        raise Refusal("Under painted heights lies the ground that came in.", "Erase paint to see it again.")
    delta = constant_undercoat_delta(number, found.channels[number], found.sites, after.value)
    return [(found.id, delta)]


def edit_channel_set(
    surface: OpenSurface, channel_set: UUID, revision: int, document: ChannelSetDocument
) -> Outcome:
    """Keep a new document of a set. Raises StaleRevision, Refusal."""
    surface.require_quiet()
    found = surface.set_of(channel_set)
    if revision != found.revision:
        raise StaleRevision("channel set", revision, found.revision)
    if len(document.channels) != len(found.channels):
        raise Refusal("A channel set keeps its number of channels.", "Rename channels instead.")
    before = found.document
    deltas: list[SetDelta] = []
    for number, (old, new) in enumerate(zip(before.channels, document.channels, strict=True)):
        deltas += _to_constant(found, number, old.undercoat, new.undercoat)
    label = _label(before, document)
    edit = Edit(
        "channel_set",
        channel_set,
        before.model_dump(mode="json"),
        document.model_dump(mode="json"),
        revision,
    )
    if deltas:
        return surface.keep("edit", label, deltas, [edit])
    return surface.told(label, [], surface.ledger.record_edit(label, edit))


def edit_blend(surface: OpenSurface, edit: Edit, label: str) -> Outcome:
    """Keep a new document of the surface's blend. Raises StaleRevision."""
    surface.require_quiet()

    def anew(before: dict[str, Any], after: dict[str, Any]) -> str:
        return told(BlendDocument.model_validate(before), BlendDocument.model_validate(after))

    return surface.told(label, [], surface.ledger.record_edit(label, edit, anew))
