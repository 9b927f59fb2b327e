"""What a blend looks like at a place, written by hand from DESIGN.md section 4, in plain NumPy.

It shares nothing with the core: neither its tree nor its mapping, sampling or interlock.
"""

import numpy as np

# u and v (v down the image) of the planes that a triplanar mapping projects along.
PLANES = {0: ((0, 0, 1), (0, -1, 0)), 1: ((1, 0, 0), (0, 0, 1)), 2: ((1, 0, 0), (0, -1, 0))}


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


def laid(mapping, u, v):
    """Texture coordinates: the picture turned counter-clockwise, moved, in tiles of its width."""
    turn = np.exp(-1j * np.radians(mapping["rotation"]))
    z = (u - 1j * v) * turn
    moved = np.stack([z.real, -z.imag], axis=1) + np.array(mapping["offset"])
    return moved / mapping["metres_per_tile"]


def slope_of(mapping, detail):
    """Rise along the plane's right and up, from a normal (x right, y up), turned with the picture."""
    x, y = 2 * detail[:, 0] - 1, 2 * detail[:, 1] - 1
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.01))
    return (-x / z - 1j * y / z) * np.exp(1j * np.radians(mapping["rotation"]))


def material(mapping, textures, place, metres_per_uv):
    """albedo, normal, roughness, occlusion, height of one material at the places."""
    n = place["normal"]
    if mapping["projection"] == "uv":
        u, v = (place["uv"] * metres_per_uv).T
        at = laid(mapping, u, v)
        surface, detail = sampled(textures["surface"], at), sampled(textures["detail"], at)
        rise = slope_of(mapping, detail)
        right = place["tangent"][:, :3]
        up = np.cross(n, right) * place["tangent"][:, 3:]
        gradient = right * rise.real[:, None] + up * rise.imag[:, None]
    else:
        shares = n**4 / (n**4).sum(axis=1, keepdims=True)
        surface, detail, gradient = 0.0, 0.0, 0.0
        for axis, ways in PLANES.items():
            right, down = np.array(ways, float)
            at = laid(mapping, place["position"] @ right, place["position"] @ down)
            share = shares[:, axis : axis + 1]
            one = sampled(textures["detail"], at)
            surface = surface + share * sampled(textures["surface"], at)
            detail = detail + share * one
            rise = slope_of(mapping, one)
            gradient = gradient + share * (rise.real[:, None] * right - rise.imag[:, None] * down)
    flat = gradient - n * (n * gradient).sum(axis=1, keepdims=True)
    bumped = n - flat
    bumped = bumped / np.linalg.norm(bumped, axis=1, keepdims=True)
    return {
        "albedo": surface[:, :3],
        "normal": bumped,
        "roughness": detail[:, 2:3],
        "occlusion": detail[:, 3:4],
        "height": surface[:, 3:4],
        "metallic": np.zeros((n.shape[0], 1)),
        "emission": np.zeros((n.shape[0], 3)),
    }


def blended(document, textures, place, weights, metres_per_uv):
    """Look and shares. document: plain JSON. textures: by material. weights: (k, 4) by channel set."""
    ground = document["ground"]
    look = material(ground["mapping"], textures[ground["material"]], place, metres_per_uv)
    shares = [np.ones((place["normal"].shape[0], 1))]
    for layer in document["layers"]:
        if not layer["visible"]:
            continue
        own = material(layer["mapping"], textures[layer["material"]], place, metres_per_uv)
        mask = layer["mask"]
        m = weights[mask["channel_set"]][:, mask["channel"], None]
        d = np.clip(layer["bite"] * (own["height"] - look["height"]), -1, 1)
        w = layer["opacity"] * np.clip(m + ((m - 0.5) + d / 2) / layer["softness"], 0, 1)
        look = {name: (1 - w) * look[name] + w * own[name] for name in look}
        look["normal"] = look["normal"] / np.linalg.norm(look["normal"], axis=1, keepdims=True)
        shares = [share * (1 - w) for share in shares] + [w]
    return look, np.concatenate(shares, axis=1)
