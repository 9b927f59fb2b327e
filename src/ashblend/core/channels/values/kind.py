"""What a kind of value is: how it is stored, mixed, painted over, lifted, shown and counted. Everything else asks it.

Every kind keeps its values in planes of uint16, one number a site or several side by side, and how much of a site the
hand paint covers in a plane beside them. Tried: planes of a type of their own for each kind; tiles, journal and frames
then spell each type once more, and compressed a plane of bytes takes the same room.
"""

from abc import ABC, abstractmethod
from typing import Any, ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F32, F64, U16, Mask, zero_pages
from ashblend.core.sites.lineage import Lineage

# What is summed over a tile: area, area · value, area with any value, sites, sites with paint; then the histogram.
AREA, COVERED, TOUCHED, COUNT, OWN = range(5)
STEPS = 16
SUMS = 5 + STEPS


class ValueKind(ABC):
    """name: in documents. code: in frames. width: numbers a site. reading: how a pixel between sites reads it.
    acts: what a stroke can do to it.

    Values of k sites are (k,) where width is one, else (k, width); cover is (k,) always, 65535 all of a site.
    """

    name: ClassVar[str]
    code: ClassVar[int]
    width: ClassVar[int] = 1
    reading: ClassVar[Literal["linear", "nearest"]] = "nearest"
    acts: ClassVar[frozenset[str]] = frozenset({"paint", "erase"})

    def shape(self, count: int) -> tuple[int, ...]:
        """Of the values of so many sites."""
        return (count,) if self.width == 1 else (count, self.width)

    def zeros(self, count: int) -> U16:
        """Values of sites that hold nothing; no memory until they are written."""
        return zero_pages(count * self.width, np.uint16).reshape(self.shape(count))

    def same(self, a: U16, b: U16) -> Mask:
        """(k,) whether sites hold the same."""
        alike: Mask = a == b
        return alike if self.width == 1 else np.all(alike, axis=1)

    @abstractmethod
    def held(self, under: U16 | float, cover: U16, paint: U16) -> U16:
        """What sites hold: paint over an undercoat, which is their values or one number for all."""

    @abstractmethod
    def toward(self, cover: U16, paint: U16, share: F64, target: Any) -> tuple[U16, U16]:
        """Cover and paint after painting toward a target by shares (k,) 0..1. target: of the kind; one, or one a site."""

    @abstractmethod
    def lifted(self, cover: U16, paint: U16, share: F64) -> tuple[U16, U16]:
        """Cover and paint after lifting the paint by shares (k,) 0..1."""

    @abstractmethod
    def mixed(self, values: U16, shares: F64) -> U16:
        """What k places between m sites hold. values: (k, m) or (k, m, width). shares: (k, m), each row sums to one."""

    @abstractmethod
    def moved(self, lineage: Lineage, cover: U16, paint: U16) -> tuple[U16, U16]:
        """Cover and paint along a mesh's lineage."""

    @abstractmethod
    def moved_values(self, lineage: Lineage, values: U16) -> U16:
        """Values without cover along a mesh's lineage."""

    @abstractmethod
    def shown(self, values: U16, bits: int) -> U16:
        """What windows are sent of values, by a set that is made for so many bits."""

    @abstractmethod
    def tally(self, values: U16, cover: U16, areas: F32) -> F64:
        """(SUMS,) over sites (k,) with their areas (k,)."""
