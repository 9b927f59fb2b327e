"""Where two documents differ, by JSON pointers (RFC 6901)."""

from typing import Any


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
