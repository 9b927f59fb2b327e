"""Variants: a blend with other materials or settings, as overrides of what stands in it.

An override replaces a value that is there; it never adds or removes one, so that a variant has the layers of its
blend and shares its shader as far as the values allow. It is found as by a JSON pointer (RFC 6901), but for lists of
things with ids, layers, groups and terms: these are entered by the id. Whoever puts a layer below another, or a term
before it, leaves every variant as it was.
"""

import copy
from collections.abc import Mapping
from typing import Any

from ashblend.core.blend.document import BlendDocument

# Way to the value, and the value.
Overrides = Mapping[str, Any]


def resolved(document: dict[str, Any], overrides: Overrides) -> dict[str, Any]:
    """A blend document (plain JSON) with overrides put in.

    Raises ValueError where a way leads nowhere or what comes out is no blend.
    """
    # As it is written now: what an older version stored has terms without ids.
    out = BlendDocument.model_validate(copy.deepcopy(document)).model_dump(mode="json")
    for way, value in overrides.items():
        *steps, last = way.split("/")[1:]
        try:
            at: Any = out
            for step in steps:
                at = _entry(at, step)
            _entry(at, last)
            at[_place(at, last)] = value
        except (KeyError, StopIteration, TypeError, IndexError) as error:
            raise ValueError(f"{way} leads nowhere in this blend") from error
    return BlendDocument.model_validate(out).model_dump(mode="json")


def _place(at: Any, step: str) -> Any:
    if isinstance(at, list):
        return next(n for n, entry in enumerate(at) if entry["id"] == step)
    return step


def _entry(at: Any, step: str) -> Any:
    return at[_place(at, step)]


def overrides_between(before: Any, after: Any, at: str = "") -> dict[str, Any]:
    """What makes one document the other: the smallest parts that differ, by their ways. Where lists hold other things,
    or in another order, the list is the part.
    """
    if isinstance(before, dict) and isinstance(after, dict) and before.keys() == after.keys():
        parts = [(f"{at}/{key}", before[key], after[key]) for key in before]
    elif _ids(before) and _ids(before) == _ids(after):
        parts = [(f"{at}/{a['id']}", a, b) for a, b in zip(before, after, strict=True)]
    else:
        return {} if before == after else {at: after}
    return {
        way: value for part in parts for way, value in overrides_between(part[1], part[2], part[0]).items()
    }


def _ids(value: Any) -> list[str]:
    """Of a list of things with ids; empty for anything else."""
    if not isinstance(value, list) or not all(isinstance(entry, dict) and entry.get("id") for entry in value):
        return []
    return [entry["id"] for entry in value]
