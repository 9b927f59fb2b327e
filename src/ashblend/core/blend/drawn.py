"""A blend document as a surface can draw it: what of it is missing there, and the tree of the rest."""

import json
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ashblend.core.blend.compile import BlendTree, compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.references import Fault, Known, faults


@dataclass(frozen=True)
class Drawn:
    """plain: the document as plain JSON, which the tree's parameters point into; not to be written to."""

    document: BlendDocument
    plain: dict[str, Any]
    faults: tuple[Fault, ...]
    tree: BlendTree


def drawn(document: dict[str, Any], known: Known, only: str | None = None) -> Drawn:
    """A document (plain JSON) with what is not there left out. only: the id of a layer that is looked at alone.

    Worked out once for an edit, whoever asks: the window that made it, those that are told of it, and statistics.
    Raises ValueError for what is no blend.
    """
    return _drawn(json.dumps(document), known, only)


@lru_cache(maxsize=32)
def _drawn(text: str, known: Known, only: str | None) -> Drawn:
    document = BlendDocument.model_validate_json(text)
    found = tuple(faults(document, known))
    tree = compile_blend(document, only, [fault.part for fault in found])
    return Drawn(document, document.model_dump(mode="json"), found, tree)
