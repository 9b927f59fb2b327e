"""Names of channel sets: a blend shades many surfaces, and each has its own sets for those that the blend names."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.references import Reading, readings
from ashblend.core.recipe.document import Recipe
from ashblend.core.recipe.sources.channel import ChannelSource


@dataclass(frozen=True)
class Names:
    """pairs: what the blend names, and which set of the surface stands for it, where that is another."""

    pairs: tuple[tuple[UUID, UUID], ...] = ()

    @classmethod
    def of(cls, stored: Mapping[str, str]) -> "Names":
        """As plain JSON. Raises ValueError."""
        return cls(tuple((UUID(named), UUID(own)) for named, own in stored.items()))

    def own(self, named: UUID) -> UUID:
        """The surface's set for one that the blend names."""
        return next((own for name, own in self.pairs if name == named), named)

    def named(self, own: UUID) -> UUID:
        """What the blend calls a set of the surface."""
        return next((name for name, theirs in self.pairs if theirs == own), own)

    def known(self, channels: Mapping[UUID, int]) -> dict[UUID, int]:
        """How many channels each set has, by every name that the blend may have for it. channels: by the surface's own."""
        named = {name: channels[own] for name, own in self.pairs if own in channels}
        return {**channels, **named}

    def recipe(self, recipe: Recipe) -> Recipe:
        """A recipe of the blend's, on the surface's own sets."""
        terms = []
        for term in recipe.terms:
            source = term.source
            if isinstance(source, ChannelSource):
                source = source.model_copy(update={"channel_set": self.own(source.channel_set)})
            terms.append(term.model_copy(update={"source": source}))
        return Recipe(terms=tuple(terms))

    def readings(self, document: BlendDocument, off: bool = False) -> list[Reading]:
        """Which channels of the surface are read and by whom, lowest first. off: by terms that are switched off, too."""
        return [replace(found, channel_set=self.own(found.channel_set)) for found in readings(document, off)]

    def sets_read(self, document: BlendDocument, off: bool = False) -> set[UUID]:
        """The surface's sets that a blend reads."""
        return {found.channel_set for found in self.readings(document, off)}
