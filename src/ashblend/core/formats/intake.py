"""What an imported mesh brings with it: facts, channel sets, and what the artist should be told."""

from dataclasses import dataclass
from typing import Any

from ashblend.core.channels.channel import Channel, channel_of_values, empty_channel
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.sets.document import CHANNEL_LETTERS, ChannelDocument, ChannelSetDocument
from ashblend.core.sites.mesh import ColourSet, Mesh
from ashblend.core.sites.mesh_vertices import MeshVertices

# Colours of a file that become sets.
MOST_COLOURS = 4


@dataclass(frozen=True)
class ImportedSet:
    """all_white: every value is one, which hides every lower layer."""

    document: ChannelSetDocument
    channels: tuple[Channel, ...]
    all_white: bool


@dataclass(frozen=True)
class Intake:
    facts: dict[str, Any]
    sets: tuple[ImportedSet, ...]


def _from_colours(colours: ColourSet, sites: int) -> ImportedSet:
    width = colours.values.shape[1]
    channels = [channel_of_values(colours.values[:, c]) for c in range(width)]
    channels += [empty_channel(sites) for _ in range(4 - width)]
    names = [ChannelDocument(name=f"Channel {letter}") for letter in CHANNEL_LETTERS]
    return ImportedSet(
        ChannelSetDocument(name=colours.name[:60], channels=tuple(names)),
        tuple(channels),
        bool((colours.values >= 1).all()),
    )


def _empty_set(sites: int) -> ImportedSet:
    names = [ChannelDocument(name=f"Channel {letter}") for letter in CHANNEL_LETTERS]
    return ImportedSet(
        ChannelSetDocument(name="Masks", channels=tuple(names)),
        tuple(empty_channel(sites) for _ in CHANNEL_LETTERS),
        False,
    )


def take_in(mesh: Mesh, sites: MeshVertices) -> Intake:
    """Existing colours become channel values; a mesh without any gets one empty set."""
    sets = [_from_colours(c, sites.count) for c in mesh.colours[:MOST_COLOURS]]
    notes = list(mesh.notes)
    if len(mesh.colours) > MOST_COLOURS:
        notes.append(f"{len(mesh.colours) - MOST_COLOURS} of {len(mesh.colours)} colour sets were left out.")
    for entry in sets:
        if entry.all_white:
            notes.append(f"{entry.document.name} is all white: every layer would show at full.")
    facts = {**mesh_facts(mesh, sites), "colour_sets": len(mesh.colours), "notes": notes}
    return Intake(facts, tuple(sets) or (_empty_set(sites.count),))
