"""What an open surface's materials and pictures are packed as, kept from one question to the next."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy.orm import Session

from ashblend.core.materials.packing import PackedTexels
from ashblend.core.surface.at_places import Decoded
from ashblend.core.surface.refusal import Refusal
from ashblend.core.tree.pack import PackName
from ashblend.store.errors import Missing
from ashblend.store.materials import PackedSet, packed_for
from ashblend.store.stencils import picture_texels


class HeldTextures:
    def __init__(self) -> None:
        self._packed: dict[tuple[UUID, int, int], PackedSet] = {}
        # Pictures never change: each is decoded once, not with every edit of the blend.
        self._pictures: dict[UUID, PackedTexels] = {}

    def packed(
        self, session: Session, materials: Sequence[UUID], pictures: Sequence[UUID]
    ) -> dict[PackName, list[PackedTexels]]:
        """The blend's, in the order asked for; others are let go. Raises Missing."""
        packed, self._packed = packed_for(session, materials, self._packed)
        return {
            "surface": [p["surface"] for p in packed],
            "detail": [p["detail"] for p in packed],
            "picture": [self._picture(session, ident) for ident in pictures],
        }

    def _picture(self, session: Session, ident: UUID) -> PackedTexels:
        if ident not in self._pictures:
            self._pictures[ident] = picture_texels(session, ident)
        return self._pictures[ident]

    def decoded(self, session: Session, materials: Sequence[UUID], pictures: Sequence[UUID]) -> Decoded:
        """A recipe's, beside the blend's. Raises Refusal."""
        held = self._packed
        try:
            packed = self.packed(session, materials, pictures)
        except Missing as error:
            what = "material" if error.what == "material" else "picture"
            raise Refusal(
                f"It reads a {what} that is not there any more.", f"Choose another {what}."
            ) from error
        self._packed = {**held, **self._packed}
        return {name: [t.pack.decoded(t.texels) for t in texels] for name, texels in packed.items()}
