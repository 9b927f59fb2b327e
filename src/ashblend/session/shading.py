"""The blend of an open surface, compiled, with the textures that it reads: loaded when asked for, kept until it changes."""

from uuid import UUID

from ashblend.core.blend.drawn import drawn
from ashblend.core.surface.at_places import Decoded
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.tree.host import value_at
from ashblend.session.textures import HeldTextures
from ashblend.store.blends import blend_of, known_on, names_of, resolved_document
from ashblend.store.database import Sessions
from ashblend.store.surfaces import get_surface


class Shading:
    """Of one surface, on its thread."""

    def __init__(self, sessions: Sessions, ident: UUID) -> None:
        self._sessions = sessions
        self._ident = ident
        self._blend: BlendState | None = None
        self._textures = HeldTextures()

    def forget(self) -> None:
        """It is another one now; the next question loads it."""
        self._blend = None

    def textures(self, materials: list[UUID], pictures: list[UUID]) -> Decoded:
        """Decoded textures of materials and of pictures. Raises Refusal."""
        with self._sessions() as session:
            return self._textures.decoded(session, materials, pictures)

    def blend(self) -> BlendState:
        """The newest."""
        if self._blend is None:
            with self._sessions() as session:
                row = blend_of(session, self._ident)
                surface = get_surface(session, self._ident)
                found = drawn(resolved_document(session, row), known_on(session, surface))
                materials = [UUID(value_at(found.plain, slot)) for slot in found.tree.slots]
                pictures = [UUID(value_at(found.plain, slot)) for slot in found.tree.pictures]
                packed = self._textures.packed(session, materials, pictures)
                names = names_of(surface)
            self._blend = BlendState(row.id, row.revision, found.plain, found.tree, packed, names)
        return self._blend
