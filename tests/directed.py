"""Blends of one thing each, so that none is left to chance: sources, forms, ops, borders, mappings, kinds, drives."""

from uuid import UUID

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers.registry import LAYER_DOCUMENTS

ONE_TERM = {
    "channel": {"channel_set": str(UUID(int=21)), "channel": 2},
    "height": {},
    "slope": {},
    "facing": {"azimuth": 140, "tilt": 20},
    "material": {"material": str(UUID(int=3)), "contrast": 2, "offset": 0.1},
    "picture": {"picture": str(UUID(int=41))},
    "constant": {"value": 0.7},
}


def _directed():
    """Names, layers and drives."""
    painted = {"source": {"kind": "channel", **ONE_TERM["channel"]}}

    def cover(*terms, **more):
        ids = {"id": "a", "name": "A", "kind": "cover", "material": str(UUID(int=2))}
        return [{**ids, "mask": {"terms": list(terms)}, **more}]

    ends = {"slope": (20, 120), "facing": (150, 30)}
    for kind, settings_of in ONE_TERM.items():
        low, high = ends.get(kind, (0.1, 0.8))
        term = {"source": {"kind": kind, **settings_of}, "low": low, "high": high}
        yield kind, cover(term), []
        yield f"{kind}, warped", cover({**term, "warp": {"by": 0.3, "metres": 0.7}}), []
    for form in ("gradient", "ridged", "cellular"):
        yield form, cover({"source": {"kind": "noise", "form": form, "metres": 0.8, "octaves": 2}}), []
    yield "contrast", cover({"source": {"kind": "noise", "metres": 0.8, "contrast": 2.5}}), []
    yield "uneven", cover({**painted, "uneven": {"amount": 0.8, "metres": 0.5}}), []
    yield "curve", cover({**painted, "curve": {"points": [[0, 0.1], [0.4, 0.9], [1, 0.3]]}}), []
    # A ramp of no width is a step at its end, and what lies right on it is above.
    for value in (0.25, 0.5, 0.7):
        step = {"source": {"kind": "constant", "value": value}, "low": 0.5, "high": 0.5}
        yield f"step at 0.5 of {value}", cover({**step, "amount": 0.9}), []
    # Points closer than any even table would tell apart, and level outside the first and the last.
    steep = [[0.2, 0.05], [0.4, 0.2], [0.402, 0.95], [0.7, 0.6], [0.9, 0.61]]
    yield "steep curve", cover({**painted, "curve": {"points": steep}}), []
    many = [[round(0.03 + 0.06 * i, 3), (0.1, 0.9, 0.4)[i % 3]] for i in range(16)]
    yield "curve of many points", cover({**painted, "curve": {"points": many}}), []
    second = {"source": {"kind": "noise", "metres": 0.8}, "amount": 0.8}
    for op in ("set", "multiply", "add", "subtract", "max", "min", "screen"):
        yield op, cover(painted, {**second, "op": op}), []
    for border in ("plain", "interlock", "noise"):
        yield f"border {border}", cover(painted, border=border, bite=2, grain=0.4, softness=0.5), []
    wave = {"metres": 0.4, "speed": 0.2, "strength": 0.5}
    for kind in ({"kind": "film", "ripples": wave, "cloudy": 0.3, "sink": 0.2}, {"kind": "relief"}):
        yield str(kind["kind"]), [{**cover(painted)[0], **kind}], []
    # What lies over something sunk lies on the mesh again, as far as it covers it.
    other = {"source": {"kind": "channel", **ONE_TERM["channel"], "channel": 0}}
    sunk = {**cover(painted)[0], "id": "f", "kind": "film", "stands": 0.3, "sink": 0.2}
    yield "cover over a sunk film", [sunk, *cover(other, border="plain")], []
    for how in ("replace", "multiply"):
        tint = {"kind": "tint", "how": how, "colouring": {"kind": "colour", "colour": [0.9, 0.3, 0.1]}}
        yield f"tint {how}", [{**cover(painted)[0], **tint}], []
    for stops in (
        [[0.1, 0.9, 0.1, 0.2], [0.5, 0.1, 0.8, 0.3], [0.502, 0.2, 0.1, 0.9], [0.8, 0.7, 0.6, 0.1]],
        [[i / 7, (0.1, 0.9)[i % 2], i / 7, 1 - i / 7] for i in range(8)],
    ):
        along = {"terms": [{**painted, "low": 0.2, "high": 0.9}]}
        tint = {"kind": "tint", "colouring": {"kind": "gradient", "along": along, "stops": stops}}
        yield (
            f"gradient of {len(stops)}",
            [{**cover({"source": {"kind": "constant", "value": 0.8}})[0], **tint}],
            [],
        )
    for name in ("roughness", "metallic", "occlusion", "normal", "emission"):
        drive = {"moves": name, "by": {"terms": [painted]}}
        yield f"driven {name}", [], [drive]
    for mapping in (
        {"projection": "planar", "axis": "x"},
        {"projection": "triplanar", "sharpness": 9.0},
        {"projection": "uv", "broken": True},
        {"projection": "uv", "far": {"times": 4.0, "begins": 1.0, "ends": 6.0}},
        {"projection": "uv", "parallax": 0.05},
    ):
        yield f"mapping {list(mapping.items())[-1]}", cover(painted, mapping=mapping), []


def _document(layers, drives) -> BlendDocument:
    def fitting(layer):
        return {k: v for k, v in layer.items() if k in LAYER_DOCUMENTS[layer["kind"]].model_fields}

    plain = {"ground": {"material": str(UUID(int=1))}, "layers": [fitting(x) for x in layers]}
    return BlendDocument.model_validate({**plain, "drives": drives})


DIRECTED = {name: _document(layers, drives) for name, layers, drives in _directed()}
