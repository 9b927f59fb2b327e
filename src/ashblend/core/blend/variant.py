"""Variants: a blend with other materials or settings, as a set of overrides by JSON pointer (RFC 6901).

An override replaces a value that is there; it never adds or removes one, so that a variant has the layers of its
blend and shares its shader as far as the values allow.
"""

import copy
from typing import Any

from ashblend.core.blend.document import BlendDocument

Overrides = dict[str, Any]


def resolved(document: dict[str, Any], overrides: Overrides) -> dict[str, Any]:
    """A blend document (plain JSON) with overrides put in.

    Raises ValueError where a pointer leads nowhere or what comes out is no blend.
    """
    out = copy.deepcopy(document)
    for pointer, value in overrides.items():
        *way, last = pointer.split("/")[1:]
        at: Any = out
        try:
            for step in way:
                at = at[int(step)] if isinstance(at, list) else at[step]
            key = int(last) if isinstance(at, list) else last
            at[key]
            at[key] = value
        except (KeyError, IndexError, TypeError, ValueError) as error:
            raise ValueError(f"{pointer} leads nowhere in this blend") from error
    return BlendDocument.model_validate(out).model_dump(mode="json")


def changed_pointers(before: Any, after: Any, at: str = "") -> list[str]:
    """Pointers to the smallest parts in which two JSON documents differ."""
    if isinstance(before, dict) and isinstance(after, dict) and before.keys() == after.keys():
        return [p for key in before for p in changed_pointers(before[key], after[key], f"{at}/{key}")]
    if isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        return [
            p
            for i, (a, b) in enumerate(zip(before, after, strict=True))
            for p in changed_pointers(a, b, f"{at}/{i}")
        ]
    return [] if before == after else [at]
