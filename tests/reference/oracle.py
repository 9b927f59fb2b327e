"""What a blend looks like at a place, written by hand from DESIGN.md section 4 and the papers, in plain NumPy.

It shares nothing with the core: neither its tree nor its mapping, sampling, noise, recipes or interlock.
"""

import itertools

import numpy as np

# u and v (v down the image) of the planes that a triplanar mapping projects along.
PLANES = {0: ((0, 0, 1), (0, -1, 0)), 1: ((1, 0, 0), (0, 0, 1)), 2: ((1, 0, 0), (0, -1, 0))}


def unit(v):
    return v / np.linalg.norm(v, axis=1, keepdims=True)


def lerp(a, b, t):
    return (1 - t) * a + t * b


def inner(a, b):
    return (a * b).sum(axis=1, keepdims=True)


# Chance: pcg3d of Jarzynski and Olano (2020), in Python's own whole numbers.


def pcg3d(corner, seed):
    """(k, 3) numbers of 32 bits for corners (k, 3)."""
    word = 2**32
    x, y, z = ((corner[:, i].astype(object) + (seed * 0x9E3779B9 if i == 0 else 0)) % word for i in range(3))
    x, y, z = ((v * 1664525 + 1013904223) % word for v in (x, y, z))
    for last in (0, 1):
        x = (x + y * z) % word
        y = (y + z * x) % word
        z = (z + x * y) % word
        if not last:
            x, y, z = (np.array([int(w) ^ (int(w) >> 16) for w in v], object) for v in (x, y, z))
    return np.stack([x, y, z], axis=1).astype(np.int64)


def chance(corner, seed=0):
    return (pcg3d(corner, seed) >> 8) / 2**24


# The twelve directions of Perlin (2002), and four of them twice.
EDGES = np.array(
    [[1, 1, 0], [-1, 1, 0], [1, -1, 0], [-1, -1, 0], [1, 0, 1], [-1, 0, 1], [1, 0, -1], [-1, 0, -1],
     [0, 1, 1], [0, -1, 1], [0, 1, -1], [0, -1, -1], [1, 1, 0], [0, -1, 1], [-1, 1, 0], [0, -1, -1]]
)  # fmt: skip


def perlin(at, seed):
    low = np.floor(at)
    f = at - low
    fade = f**3 * (f * (f * 6 - 15) + 10)
    total = 0.0
    for step in itertools.product((0, 1), repeat=3):
        share = np.prod(np.where(step, fade, 1 - fade), axis=1)
        edge = EDGES[pcg3d(low.astype(np.int64) + step, seed)[:, 0] & 15]
        total = total + share * (edge * (f - step)).sum(axis=1)
    return total


def worley(at, seed):
    low = np.floor(at).astype(np.int64)
    away = [low + s + chance(low + s, seed) - at for s in itertools.product((-1, 0, 1), repeat=3)]
    return np.minimum(1, np.min([np.linalg.norm(v, axis=1) for v in away], axis=0))


def noise(place, metres, seed, octaves, form="gradient"):
    """(k, 1) in 0..1. place: in the world."""
    total, gains = 0.0, 0.0
    for octave in range(octaves):
        at = place / metres * 2**octave
        once = worley(at, seed) if form == "cellular" else perlin(at, seed)
        if form == "ridged":
            once = np.maximum(0, 1 - 2 * np.abs(once))
        total, gains = total + once / 2**octave, gains + 1 / 2**octave
    out = total / gains
    return (np.clip(0.5 + 0.75 * out, 0, 1) if form == "gradient" else out)[:, None]


# Materials


def sampled(texels, at):
    """Bilinear between texel centres, repeating. texels: (n, n, 4). at: (k, 2), u right, v down."""
    size = texels.shape[0]
    x = at * size - 0.5
    low = np.floor(x).astype(int)
    f = x - low
    out = 0.0
    for dx in (0, 1):
        for dy in (0, 1):
            share = (f[:, 0] if dx else 1 - f[:, 0]) * (f[:, 1] if dy else 1 - f[:, 1])
            out = out + share[:, None] * texels[(low[:, 1] + dy) % size, (low[:, 0] + dx) % size]
    return out


def hexagons(texels, at, grid):
    """Heitz and Neyret (2018): three shifted copies, mixed around the mean. grid: the place without parallax."""
    x, y = (grid * 2 * np.sqrt(3)).T
    skewed = np.stack([x - y / np.sqrt(3), 2 * y / np.sqrt(3)], axis=1)
    base = np.floor(skewed).astype(np.int64)
    f = skewed - base
    upper = f.sum(axis=1) > 1
    corners = [np.where(upper[:, None], base + 1, base), base + (0, 1), base + (1, 0)]
    weights = [
        np.where(upper, f.sum(axis=1) - 1, 1 - f.sum(axis=1)),
        np.where(upper, 1 - f[:, 0], f[:, 1]),
        np.where(upper, 1 - f[:, 1], f[:, 0]),
    ]
    w = np.array(weights) ** 4
    w = (w / w.sum(axis=0))[..., None]
    mean = texels.reshape(-1, 4).mean(axis=0)
    shifts = [chance(np.column_stack([c, np.zeros(len(c), np.int64)]))[:, :2] for c in corners]
    off = sum(wi * (sampled(texels, at + s) - mean) for wi, s in zip(w, shifts, strict=True))
    return np.clip(mean + off / np.sqrt((w**2).sum(axis=0)), 0, 1)


def laid(mapping, metres, larger=1.0):
    """Texture coordinates: the picture turned counter-clockwise, moved, in tiles of its width."""
    turn = np.exp(-1j * np.radians(mapping["rotation"]))
    z = (metres[:, 0] - 1j * metres[:, 1]) * turn
    moved = np.stack([z.real, -z.imag], axis=1) + np.array(mapping["offset"])
    return moved / (mapping["metres_per_tile"] * larger)


def slope_of(mapping, detail):
    """Rise along the plane's right and up, from a normal (x right, y up), turned with the picture."""
    x, y = 2 * detail[:, 0] - 1, 2 * detail[:, 1] - 1
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.01))
    return (-x / z - 1j * y / z) * np.exp(1j * np.radians(mapping["rotation"]))


def sunk(mapping, texels, metres, eye):
    """Tatarchuk (2006): where the line of sight meets the map, in six steps and the straight line between two."""
    way = eye[:, :2] / np.maximum(eye[:, 2:], 0.25) * mapping["parallax"]
    depth = [1 - sampled(texels, laid(mapping, metres - way * i / 6))[:, 3:4] for i in range(7)]
    met = np.full_like(depth[0], np.nan)
    met[depth[0] <= 0] = 0
    for i in range(1, 7):
        crossed = np.isnan(met) & (i / 6 >= depth[i])
        before, after = depth[i - 1] - (i - 1) / 6, i / 6 - depth[i]
        between = before / np.maximum(before + after, 1e-6)
        met[crossed] = ((i - 1) / 6 + between / 6)[crossed]
    return metres - way * met


def read(mapping, textures, place, metres, eye):
    """surface and detail of one projection."""
    deep = sunk(mapping, textures["surface"], metres, eye) if mapping["parallax"] else metres

    def both(at, grid):
        if mapping["broken"]:
            return [hexagons(textures[pack], at, grid) for pack in ("surface", "detail")]
        return [sampled(textures[pack], at) for pack in ("surface", "detail")]

    near = both(laid(mapping, deep), laid(mapping, metres))
    if mapping["far"] is None:
        return near
    far = mapping["far"]
    at = laid(mapping, metres, far["times"])
    t = np.clip((place["away"] - far["begins"]) / max(far["ends"] - far["begins"], 0.001), 0, 1)
    return [lerp(a, b, t) for a, b in zip(near, both(at, at), strict=True)]


def projected(mapping, textures, place, axis):
    """surface, detail and gradient along one axis."""
    right, down = np.array(PLANES[axis], float)
    view = place["view"]
    eye = np.stack([view @ right, view @ down, np.abs(view[:, axis])], axis=1)
    metres = np.stack([place["position"] @ right, place["position"] @ down], axis=1)
    surface, detail = read(mapping, textures, place, metres, eye)
    rise = slope_of(mapping, detail)
    return surface, detail, rise.real[:, None] * right - rise.imag[:, None] * down


def material(mapping, textures, place, metres_per_uv, strength=1.0):
    """albedo, normal, roughness, occlusion, height of one material at the places."""
    n = place["normal"]
    if mapping["projection"] == "uv":
        right = place["tangent"][:, :3]
        up = np.cross(n, right) * place["tangent"][:, 3:]
        moved = place.get("moved", np.zeros_like(n))
        metres = place["uv"] * metres_per_uv + np.hstack([inner(right, moved), -inner(up, moved)])
        view = place["view"]
        eye = np.hstack([inner(right, view), -inner(up, view), inner(n, view)])
        surface, detail = read(mapping, textures, place, metres, eye)
        rise = slope_of(mapping, detail)
        gradient = right * rise.real[:, None] + up * rise.imag[:, None]
    elif mapping["projection"] == "planar":
        surface, detail, gradient = projected(mapping, textures, place, "xyz".index(mapping["axis"]))
    else:
        power = np.abs(n) ** mapping["sharpness"]
        shares = power / power.sum(axis=1, keepdims=True)
        parts = [projected(mapping, textures, place, axis) for axis in PLANES]
        surface, detail, gradient = (
            sum(shares[:, axis : axis + 1] * parts[axis][i] for axis in PLANES) for i in range(3)
        )
    flat = gradient - n * inner(n, gradient)
    return {
        "albedo": surface[:, :3],
        "normal": unit(n - flat * strength),
        "roughness": detail[:, 2:3],
        "occlusion": detail[:, 3:4],
        "height": surface[:, 3:4],
        "metallic": np.zeros((n.shape[0], 1)),
        "emission": np.zeros((n.shape[0], 3)),
        "thin": np.zeros((n.shape[0], 1)),
        "sink": np.zeros((n.shape[0], 1)),
    }


def finished(look, finish):
    return look | {
        "albedo": np.clip(look["albedo"] * finish["tint"], 0, 1),
        "roughness": np.clip(look["roughness"] * finish["roughness"], 0, 1),
        "height": np.clip(0.5 + (look["height"] - 0.5) * finish["height"] + finish["lift"], 0, 1),
        "metallic": look["metallic"] + finish["metallic"],
        "emission": look["emission"] + np.array(finish["emission"]),
        "thin": look["thin"] + finish["thin"],
    }


class Scene:
    """Places (k) of a surface at the world's origin, the textures of materials and the weights of channel sets."""

    def __init__(self, textures, place, weights, metres_per_uv, time=0.0):
        self.textures, self.place, self.weights = textures, place, weights
        self.metres_per_uv, self.time = metres_per_uv, time
        self.count = place["normal"].shape[0]

    def lay(self, part):
        finish = part["finish"]
        textures = self.textures[part["material"]]
        look = material(part["mapping"], textures, self.place, self.metres_per_uv, finish["normal"])
        return finished(look, finish)

    def moved(self, warp):
        if warp is None:
            return self.place
        p = self.place["position"]
        axes = [noise(p, warp["metres"], 3 * warp["seed"] + i, 2) - 0.5 for i in range(3)]
        by = np.hstack(axes) * 2 * warp["by"]
        return self.place | {"position": p + by, "moved": by}

    def source(self, source, place):
        """What a term begins with, and its ends as the artist gives them turned into the same measure."""

        def plain(x):
            return x

        def cosine(degrees):
            return np.cos(np.radians(degrees))

        match source["kind"]:
            case "constant":
                return np.full((self.count, 1), source["value"]), plain
            case "channel":
                return self.weights[source["channel_set"]][:, source["channel"], None], plain
            case "height":
                return place["position"][:, 1:2], plain
            case "slope":
                return place["normal"][:, 1:2], cosine
            case "facing":
                a, e = np.radians(source["azimuth"]), np.radians(source["tilt"])
                toward = np.array([np.sin(a) * np.cos(e), np.sin(e), -np.cos(a) * np.cos(e)])
                return (place["normal"] @ toward)[:, None], cosine
            case "noise":
                form = source["form"]
                n = noise(place["position"], source["metres"], source["seed"], source["octaves"], form)
                return np.clip(0.5 + (n - 0.5) * source["contrast"], 0, 1), plain
            case "material":
                textures = self.textures[source["material"]]
                h = material(source["mapping"], textures, place, self.metres_per_uv)["height"]
                return np.clip(0.5 + (h - 0.5) * source["contrast"] + source["offset"], 0, 1), plain
            case "picture":
                right = place["tangent"][:, :3]
                up = np.cross(place["normal"], right) * place["tangent"][:, 3:]
                moved = place.get("moved", np.zeros_like(right))
                off = np.hstack([inner(right, moved), -inner(up, moved)]) / self.metres_per_uv
                return sampled(self.textures[source["picture"]]["picture"], place["uv"] + off)[:, :1], plain

    def term(self, term):
        placed = term["source"]["kind"] in ("height", "noise", "material", "picture")
        place = self.moved(term["warp"]) if placed else self.place
        x, measured = self.source(term["source"], place)
        low, high = measured(term["low"]), measured(term["high"])
        s = np.clip((x - low) / (high - low), 0, 1) if low != high else (x >= low).astype(float)
        if term["curve"]:
            from scipy.interpolate import PchipInterpolator

            points = np.array(term["curve"]["points"])
            drawn = PchipInterpolator(*points.T)(np.clip(s[:, 0], points[0, 0], points[-1, 0]))
            s = np.clip(drawn, 0, 1)[:, None]
        s = 1 - s if term["invert"] else s
        if term["uneven"]:
            n = noise(self.place["position"], term["uneven"]["metres"], term["uneven"]["seed"], 3)
            s = s * lerp(1, n, term["uneven"]["amount"])
        return s

    def recipe(self, recipe):
        m = np.zeros((self.count, 1))
        for term in recipe["terms"]:
            if not term["on"]:
                continue
            s = self.term(term)
            wanted = {
                "set": s, "multiply": m * s, "add": m + s, "subtract": m - s,
                "max": np.maximum(m, s), "min": np.minimum(m, s), "screen": m + s - m * s,
            }[term["op"]]  # fmt: skip
            m = lerp(m, wanted, term["amount"])
        return np.clip(m, 0, 1)

    def bordered(self, layer, m, h, below):
        if layer["border"] == "plain":
            return m
        d = layer["bite"] * (h - below)
        if layer["border"] == "noise":
            d = layer["bite"] * (2 * noise(self.place["position"], layer["grain"], 5, 3) - 1)
        return np.clip(m + ((m - 0.5) + np.clip(d, -1, 1) / 2) / layer["softness"], 0, 1)

    def cover(self, layer, look):
        own = self.lay(layer)
        w = layer["opacity"] * self.bordered(layer, self.recipe(layer["mask"]), own["height"], look["height"])
        out = {name: lerp(look[name], own[name], w) for name in look}
        return out | {"normal": unit(out["normal"])}, w

    def relief(self, layer, look):
        own = self.lay(layer)
        w = layer["opacity"] * self.bordered(layer, self.recipe(layer["mask"]), own["height"], look["height"])
        up = self.place["normal"]
        detail = unit(lerp(up, own["normal"], w))
        height = np.clip(look["height"] + (own["height"] - 0.5) * layer["depth"] * w, 0, 1)
        return look | {"normal": turned(up, look["normal"], detail), "height": height}, 0 * w

    def film(self, layer, look):
        m = self.recipe(layer["mask"])
        damp = layer["opacity"] * m
        much = np.clip((m - layer["stands"]) / max(1 - layer["stands"], 1e-4), 0, 1)
        standing = layer["opacity"] * self.bordered(layer, much, layer["level"], look["height"])
        deep = np.clip(2 * (layer["level"] - look["height"]), 0, 1)
        hides = standing * np.clip(layer["cloudy"] + layer["deepens"] * deep, 0, 1)
        up = self.place["normal"]
        top = self.rippled(layer["ripples"]) if layer["ripples"] else up
        return look | {
            "albedo": lerp(look["albedo"] * lerp(1, layer["darken"], damp), np.array(layer["colour"]), hides),
            "roughness": lerp(look["roughness"], layer["roughness"], damp),
            "normal": unit(lerp(lerp(look["normal"], up, damp * layer["flatten"]), top, standing)),
            "height": lerp(look["height"], layer["level"], standing),
            "occlusion": lerp(look["occlusion"], 1, standing),
            "metallic": look["metallic"] * (1 - hides),
            "emission": look["emission"] * (1 - hides),
            "thin": look["thin"] * (1 - hides),
            "sink": look["sink"] + standing * layer["sink"],
        }, damp

    def rippled(self, ripples):
        gone = self.time * ripples["speed"] / ripples["metres"]
        at = self.place["position"] / ripples["metres"]
        gradient = np.zeros((self.count, 3))
        for k, way in enumerate(((0.8, 0.6), (-0.6, 0.8))):
            moved = np.column_stack(
                [at[:, 0] - gone * way[0], np.full(self.count, gone / 2), at[:, 2] - gone * way[1]]
            )
            for axis in (0, 2):
                step = np.eye(3)[axis] * 0.08
                rise = noise(moved + step, 1.0, 11 + k, 2) - noise(moved, 1.0, 11 + k, 2)
                gradient[:, axis] += rise[:, 0] / 0.08
        up = self.place["normal"]
        return unit(up - ripples["strength"] * (gradient - up * inner(up, gradient)))

    def tint(self, layer, look):
        w = layer["opacity"] * self.recipe(layer["mask"])
        colouring = layer["colouring"]
        match colouring["kind"]:
            case "colour":
                colour = np.array(colouring["colour"])
            case "channels":
                colour = self.weights[colouring["channel_set"]][:, :3]
            case "gradient":
                t = self.recipe(colouring["along"])[:, 0]
                stops = np.array(colouring["stops"])
                colour = np.stack([np.interp(t, stops[:, 0], stops[:, i]) for i in (1, 2, 3)], axis=1)
        colour = colour * layer["lightness"]
        wanted = look["albedo"] * colour if layer["how"] == "multiply" else colour
        return look | {"albedo": lerp(look["albedo"], wanted, w)}, 0 * w

    def drive(self, drive, look):
        w = self.recipe(drive["by"])
        name = drive["moves"]
        toward = {"emission": np.array(drive["colour"]), "normal": self.place["normal"]}.get(
            name, drive["toward"]
        )
        moved = lerp(look[name], toward, w)
        return look | {name: unit(moved) if name == "normal" else moved}

    def ground(self, ground):
        if ground["material"]:
            return self.lay(ground)
        ones = np.ones((self.count, 1))
        return {
            "albedo": ones * ground["colour"],
            "normal": self.place["normal"],
            "roughness": ones * ground["roughness"],
            "occlusion": ones,
            "height": ones * 0.5,
            "metallic": ones * 0,
            "emission": ones * np.zeros(3),
            "thin": ones * ground["finish"]["thin"],
            "sink": ones * 0,
        }


def turned(upright, base, detail):
    """Detail (k, 3) turned by the shortest turn from upright to base: Rodrigues' formula (1840)."""
    axis = np.cross(upright, base)
    cosine = inner(upright, base)
    return detail * cosine + np.cross(axis, detail) + axis * inner(axis, detail) / (1 + cosine)


def blended(document, textures, place, weights, metres_per_uv, time=0.0):
    """Look and shares: relief and tint hide nothing. document: plain JSON. textures: by material and picture. weights: (k, 4) by channel set."""
    scene = Scene(textures, place, weights, metres_per_uv, time)
    look = scene.ground(document["ground"])
    shares = [np.ones((scene.count, 1))]
    hidden = {group["id"] for group in document["groups"] if not group["visible"]}
    for layer in document["layers"]:
        if not layer["visible"] or layer["group"] in hidden:
            continue
        look, w = getattr(scene, layer["kind"])(layer, look)
        shares = [share * (1 - w) for share in shares] + [w]
    for drive in document["drives"]:
        if drive["on"]:
            look = scene.drive(drive, look)
    return look, np.concatenate(shares, axis=1)
