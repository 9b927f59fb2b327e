"""An open surface as a file: its mesh with the weights of some sets, or a set on texels as a picture."""

from collections.abc import Callable, Sequence
from pathlib import PurePath
from typing import Literal
from uuid import UUID

import numpy as np

from ashblend.core.channels.quantise import FULL
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.formats.attribute import Bits, ExportAttribute
from ashblend.core.formats.glb_write import add_to_glb
from ashblend.core.formats.origin import why_new_file
from ashblend.core.formats.registry import writings
from ashblend.core.formats.splat import splat_png
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.session.surface import OpenSurface
from ashblend.store.blobs import get_blob
from ashblend.store.database import Sessions
from ashblend.store.states import mesh_that_came
from ashblend.store.surfaces import get_surface

Attribute = Literal["mask", "colour"]
PREFIX: dict[Attribute, str] = {"mask": "_MASK", "colour": "COLOR_"}
# Behind all places that a set can be given.
LAST = 100


def export_attribute(found: OpenSet, name: str, bits: Bits) -> ExportAttribute:
    """Channel values of a set, four wide; channels that the set does not have are zero."""
    values = np.zeros((found.channels[0].cover.shape[0], 4), np.float32)
    for number, channel in enumerate(found.channels):
        values[:, number] = (channel.values() / np.float64(FULL)).astype(np.float32)
    document = found.document
    return ExportAttribute(name, values, bits, document.name, tuple(c.name for c in document.channels))


def in_order(surface: OpenSurface, level: int) -> list[OpenSet]:
    """Sets of a level that go into its file: by the places that were given to them, then as they came."""
    found = [s for s in surface.sets.values() if "glb" in s.kind.files and s.level == level]
    return sorted(found, key=lambda s: LAST if s.document.place is None else s.document.place)


def new_because(sessions: Sessions, ident: UUID, mesh: Mesh) -> str | None:
    """Why a GLB of level 0 is a new file, or None. mesh: as it is now."""
    with sessions() as session:
        row = get_surface(session, ident)
        suffix = PurePath(row.file_name).suffix.lower()
        if suffix != ".glb":
            return f"yours is {suffix.lstrip('.').upper()}"
        if row.came is not None and row.came == row.geometry:
            return None
        came = mesh_that_came(session, row)
    return why_new_file(came, mesh)


def _chosen(surface: OpenSurface, wanted: Sequence[UUID], kind: str) -> list[OpenSet]:
    """The sets that go into one file. Raises Refusal."""
    sets = [surface.set_of(ident) for ident in dict.fromkeys(wanted)]
    sets.sort(
        key=lambda s: [o.id for o in in_order(surface, s.level)].index(s.id) if "glb" in s.kind.files else 0
    )
    for found in sets:
        if found.values is not WEIGHTS:
            raise Refusal(f"{found.document.name} holds no weights.", "Export another set.")
        if kind not in found.kind.files:
            names = ", ".join(name.upper() for name in found.kind.files)
            raise Refusal(f"{found.document.name} lies on {found.kind.kind}.", f"Export it as {names}.")
    if len({found.level for found in sets}) > 1:
        raise Refusal("These sets lie on different levels.", "Export one level at a time.")
    known = writings().get(kind)
    if len(sets) > 1 and not (known and known[1].many):
        raise Refusal(f"{kind.upper()} has room for one set.", "Choose one, or export a GLB.")
    return sets


def _weights(
    surface: OpenSurface, sets: list[OpenSet], attribute: Attribute, bits: Bits
) -> list[ExportAttribute]:
    """A mask's number is the set's place among all of its level, so that it means the same whatever else goes out.

    Colours have no gaps (glTF 2.0, section 3.7.2.1): they are counted among those that go out.
    """
    order = in_order(surface, sets[0].level) if attribute == "mask" else sets
    places = [found.id for found in order]
    return [
        export_attribute(
            found, f"{PREFIX[attribute]}{places.index(found.id) if found.id in places else 0}", bits
        )
        for found in sets
    ]


def mesh_file(
    surface: OpenSurface, wanted: Sequence[UUID], kind: str, attribute: Attribute, bits: Bits
) -> Callable[[], bytes]:
    """What writes the file. The weights are gathered here, and copies, so writing may go on beside further steps.

    wanted: sets of one level. attribute: "mask" writes _MASK0, _MASK1 … into a GLB by the sets' places, "colour" COLOR_0,
    COLOR_1 … Raises Refusal.
    """
    sets = _chosen(surface, wanted, kind)
    if kind == "png":
        if bits == 32:
            raise Refusal("A PNG has 8 or 16 bits a channel.", "Choose one of them.")
        picture = splat_png(sets[0].sites, sets[0].channels, bits)
        return lambda: picture
    level = sets[0].level
    mesh, weights = surface.shape.mesh_of(level), _weights(surface, sets, attribute, bits)
    sessions, ident = surface.sessions, surface.ident

    def write() -> bytes:
        # What the artist's own file has besides stays in it.
        own = kind == "glb" and level == 0 and new_because(sessions, ident, mesh) is None
        with sessions() as session:
            row = get_surface(session, ident)
            name, original = row.name, get_blob(session, row.source) if own else None
        if original is not None:
            return add_to_glb(original, weights)
        return writings()[kind][1].write(mesh, weights, name)

    return write
