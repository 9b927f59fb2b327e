"""What an edit did to a blend, in words for the history."""

from typing import Any

from ashblend.core.blend.document import BlendDocument
from ashblend.core.tree.host import value_at
from ashblend.core.tree.pointers import changed_pointers

# Keys of documents as the page names them, and what their numbers are shown in: times and unit.
WORDS = {
    "opacity": ("opacity", 100.0, " %"),
    "amount": ("amount", 100.0, " %"),
    "low": ("ramp", 1.0, ""),
    "high": ("ramp", 1.0, ""),
    "metres": ("size", 1.0, " m"),
    "metres_per_tile": ("tile size", 1.0, " m"),
    "rotation": ("rotation", 1.0, "°"),
    "azimuth": ("bearing", 1.0, "°"),
    "tilt": ("tilt", 1.0, "°"),
    "sink": ("lowered by", 1.0, " m"),
    "parallax": ("depth", 1.0, " m"),
    "stands": ("pools above", 1.0, ""),
    "toward": ("where full", 1.0, ""),
    "op": ("how it joins", 1.0, ""),
}
PARTS = {"mask": "mask", "mapping": "tiling", "finish": "look", "colouring": "colour", "ripples": "ripples"}


def _value(value: Any, times: float) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        return f"{value * times:.4g}"
    return str(value)


def change(before: dict[str, Any], after: dict[str, Any]) -> str:
    """What differs between two documents of a part: one value by its old and its new one, several by where they are."""
    pointers = changed_pointers(before, after)
    if len(pointers) == 1 and pointers[0]:
        pointer = pointers[0]
        old, new = value_at(before, pointer), value_at(after, pointer)
        keys = [key for key in pointer.split("/") if key and not key.isdecimal()]
        word, times, unit = WORDS.get(keys[-1], (keys[-1].replace("_", " "), 1.0, ""))
        simple = (bool, int, float)
        if isinstance(old, simple) and isinstance(new, simple):
            return f"{word} {_value(old, times)} → {_value(new, times)}{unit}"
        if isinstance(old, str) and isinstance(new, str) and max(len(old), len(new)) <= 20:
            return f"{word} {old} → {new}"
    roots = {pointer.split("/")[1] for pointer in pointers if pointer}
    if len(roots) == 1:
        root = roots.pop()
        return PARTS.get(root, WORDS.get(root, (root.replace("_", " "),))[0])
    return ""


def _with(words: str, told: str) -> str:
    return f"{words}: {told}" if told else words


def told(before: BlendDocument, after: BlendDocument) -> str:
    """What was done to a blend."""
    old, new = {x.id: x for x in before.layers}, {x.id: x for x in after.layers}
    for ident, layer in new.items():
        if ident not in old:
            return f"Add layer {layer.name}"
        was = old[ident]
        if was == layer:
            continue
        if was.model_copy(update={"visible": layer.visible}) == layer:
            return f"{'Show' if layer.visible else 'Hide'} layer {layer.name}"
        if was.model_copy(update={"name": layer.name}) == layer:
            return f"Rename layer {was.name} to {layer.name}"
        plain = (was.model_dump(mode="json"), layer.model_dump(mode="json"))
        return _with(f"Change layer {layer.name}", change(*plain))
    gone = [layer.name for ident, layer in old.items() if ident not in new]
    if gone:
        return f"Remove layer {gone[0]}"
    if list(old) != list(new):
        return "Order layers"
    if before.ground != after.ground:
        plain = (before.ground.model_dump(mode="json"), after.ground.model_dump(mode="json"))
        return _with(f"Change {after.ground.name}", change(*plain))
    if len(before.drives) == len(after.drives):
        for was_drive, drive in zip(before.drives, after.drives, strict=True):
            if was_drive != drive:
                plain = (was_drive.model_dump(mode="json"), drive.model_dump(mode="json"))
                return _with(f"Change {drive.name}", change(*plain))
    return "Change the blend"
