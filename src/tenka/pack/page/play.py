"""What a package shows at a time, read and worked out from its files alone, with NumPy and Pillow.

    python play.py                      what each element is at the start
    python play.py ELEMENT TIME [OUT]   one element at a time, s; its picture, where it has one, to OUT.png

All is in the axes of the package: metres, seconds, z up, right-handed. READ-ME.txt quotes the functions.
"""

import hashlib
import json
import struct
import sys
import zlib
from pathlib import Path

import numpy as np
from PIL import Image

HERE = Path(__file__).resolve().parent


# --- files ------------------------------------------------------------------------------------------


def exr(file):
    """A texture of numbers, (rows, columns, channels R G B A): OpenEXR in lines, ZIP, halves or floats."""
    data, at, head = Path(file).read_bytes(), 8, {}
    while data[at]:  # name, type, size, value
        name, kind, rest = data[at : at + 600].split(b"\0", 2)
        at += len(name) + len(kind) + 2
        (size,) = struct.unpack_from("<i", data, at)
        head[name], at = data[at + 4 : at + 4 + size], at + 4 + size
    x0, y0, x1, y1 = struct.unpack("<4i", head[b"dataWindow"])
    wide, tall, names, rest = x1 - x0 + 1, y1 - y0 + 1, [], head[b"channels"]
    while rest[0]:
        name, rest = rest.split(b"\0", 1)
        names.append((name.decode(), np.dtype("<f2" if rest[0] == 1 else "<f4")))
        rest = rest[16:]
    lines = {0: 1, 2: 1, 3: 16}[head[b"compression"][0]]
    out, row = np.zeros((tall, wide, len(names)), np.float32), wide * sum(kind.itemsize for _, kind in names)
    for place in struct.unpack_from(f"<{-(-tall // lines)}Q", data, at + 1):
        y, size = struct.unpack_from("<2i", data, place)
        block, count = data[place + 8 : place + 8 + size], min(lines, tall - (y - y0))
        if size < count * row:  # bytes as differences, the even ones before the odd ones
            raw = np.frombuffer(zlib.decompress(block), np.uint8).astype(np.int64)
            raw[1:] -= 128
            raw, half = (np.cumsum(raw) & 255).astype(np.uint8), -(-count * row // 2)
            mixed = np.empty(count * row, np.uint8)
            mixed[0::2], mixed[1::2] = raw[:half], raw[half:]
            block = mixed.tobytes()
        for n in range(count):
            at_ = n * row
            for c, (_, kind) in enumerate(names):
                out[y - y0 + n, :, c] = np.frombuffer(block, kind, wide, at_)
                at_ += wide * kind.itemsize
    order = [[name for name, _ in names].index(letter) for letter in "RGBA" if (letter in dict(names))]
    return out[..., order]


def glb(file):
    """Meshes of a GLB by name: points (n, 3), z up, and faces (m, 3)."""
    data = Path(file).read_bytes()
    (size,) = struct.unpack_from("<I", data, 12)
    tree, blob = json.loads(data[20 : 20 + size]), data[28 + size :]

    def read(n):
        a = tree["accessors"][n]
        kind = np.dtype({5126: "<f4", 5125: "<u4", 5123: "<u2", 5121: "u1"}[a["componentType"]])
        wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[a["type"]]
        view = tree["bufferViews"][a["bufferView"]]
        start = view.get("byteOffset", 0) + a.get("byteOffset", 0)
        step = view.get("byteStride", kind.itemsize * wide)
        return np.ndarray((a["count"], wide), kind, blob, start, (step, kind.itemsize))

    found = {}
    for mesh in tree.get("meshes", []):
        for part in mesh["primitives"]:
            if part.get("mode", 4) != 4:
                continue
            x, y, z = read(part["attributes"]["POSITION"]).T
            faces = read(part["indices"]) if "indices" in part else np.arange(len(x))
            found[mesh["name"]] = np.stack([x, -z, y], axis=1), faces.reshape(-1, 3)
    return found


def moment(e, time):
    """The moment before a time, the one after it, and the share of the way to that; None outside of both."""
    t = e["times"]
    if not t[0] - 1e-6 <= time <= t[-1] + 1e-6:
        return None
    n = min(max(int(np.searchsorted(t, time + 1e-6, side="right")) - 1, 0), len(t) - 1)
    m = min(n + 1, len(t) - 1)
    return n, m, min(max((time - t[n]) / (t[m] - t[n]), 0.0), 1.0) if m > n else 0.0


def mixed(a, b, there_a, there_b, share):
    """Rows between two moments: what is in both is mixed; what is in one is there while that is nearer."""
    both = (there_a & there_b)[:, None]
    return np.where(both, (1 - share) * a + share * b, a if share < 0.5 else b)


def over(ramp, age):
    """A ramp at an age, (values,): straight between stops, eased, held, or through them with a slope."""
    at, values = [s["at"] for s in ramp["stops"]], [np.atleast_1d(s["value"]) for s in ramp["stops"]]
    i = min(max(int(np.searchsorted(at, age, side="right")) - 1, 0), len(at) - 1)
    j = min(i + 1, len(at) - 1)
    a, b, span = np.array(values[i], float), np.array(values[j], float), max(at[j] - at[i], 1e-12)
    f = min(max((age - at[i]) / span, 0.0), 1.0)
    if ramp["ease"] == "held":
        return a
    if ramp["ease"] == "through" and len(at) > 1:

        def slope(n):
            low, high = max(n - 1, 0), min(n + 1, len(at) - 1)
            return span * (np.array(values[high]) - values[low]) / max(at[high] - at[low], 1e-12)

        r = 1 - f
        return r * r * (a * (1 + 2 * f) + slope(i) * f) + f * f * (b * (3 - 2 * f) - slope(j) * r)
    return a + (b - a) * (f * f * (3 - 2 * f) if ramp["ease"] == "eased" else f)


def srgb(bytes_):
    """Linear light of bytes."""
    c = np.asarray(bytes_) / 255
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)


def film(light):
    """Linear light as bytes, as Proof and the page show it."""
    x = 0.91 * light + 0.09 * light.mean(axis=-1, keepdims=True)
    y = np.where(x <= 0.5, x, 1 - 0.25 / np.maximum(x, 0.5))
    c = np.clip((y - 0.09 * y.mean(axis=-1, keepdims=True)) / 0.91, 0, 1)
    return np.uint8(255 * np.where(c <= 0.0031308, 12.92 * c, 1.055 * c ** (1 / 2.4) - 0.055) + 0.5)


def cell(picture, e, n, pad=0):
    """Frame n of an atlas."""
    wide, tall = picture.shape[1] // e["columns"], picture.shape[0] // e["rows"]
    y, x = n // e["columns"] * tall + pad, n % e["columns"] * wide + pad
    return picture[y : y + tall - 2 * pad, x : x + wide - 2 * pad]


# --- sprites ----------------------------------------------------------------------------------------


def mix(h):
    h = ((h ^ (h >> 16)) * 0x7FEB352D) & 0xFFFFFFFF
    h = ((h ^ (h >> 15)) * 0x846CA68B) & 0xFFFFFFFF
    return h ^ (h >> 16)


def chance(seed, *words):
    """A number from 0 to 1 that is a hash of what it is for."""
    h = mix((seed + 0x9E3779B9) & 0xFFFFFFFF)
    for word, salt in zip((*words, 0, 0)[:3], (0x85EBCA6B, 0xC2B2AE35, 0x27D4EB2F)):
        h = mix(h ^ mix((word + salt) & 0xFFFFFFFF))
    return (h >> 8) / 16777216


def flipbook(e, time):
    """The sprites that live: place of the pivot and size, m; turn, degrees; opacity; share of the frames."""
    p, digest = e["player"], hashlib.blake2b(f"player/{e['id']}".encode(), digest_size=4).digest()
    seed, found = int.from_bytes(digest, "little") & 0x7FFFFFFF, []
    for slot in range(p["count"]):
        life = p["life"] * (1 + p["life_spread"] * (2 * chance(seed, 0, slot, 1) - 1))
        lived = (time - slot / p["count"] * p["life"]) / life
        if lived < 0:
            continue
        age, own = lived % 1, slot + 65536 * (int(lived) + 1)
        size = p["scale"] * (1 + p["size_spread"] * (2 * chance(seed + 2, 0, own) - 1)) * np.array(e["size"])
        size[1] *= p["tall"]
        way, far = 2 * np.pi * chance(seed + 3, 0, own), p["scatter"] * chance(seed + 4, 0, own) ** 0.5
        t, k = age * life, max(p["drag"], 1e-6)
        place = np.array(e["attach"]) + [far * np.cos(way), far * np.sin(way), 0] + t * np.array(p["drift"])
        on = (slot * 0.6180339887498949 + 0.5) % 1 - 0.5 + (chance(seed + 10, 0, own) - 0.5) / p["count"]
        place = place + np.array(p["along"]) * min(max(on, -0.5), 0.5)
        gone = (1 - np.exp(-k * t)) / k
        up = 1 - chance(seed + 7, 0, own) * (1 - np.cos(np.radians(p["cone"])))
        flat, turn = (1 - up * up) ** 0.5, 2 * np.pi * chance(seed + 8, 0, own)
        place = place + p["speed"] * gone * np.array([flat * np.cos(turn), flat * np.sin(turn), up])
        place[2] -= p["gravity"] * ((t - gone) / k if p["drag"] > 1e-3 else 0.5 * t * t)
        through = over(p["frames_over"], age)[0] * p["plays"] + p["any_start"] * chance(seed + 6, 0, own)
        if e["loop"] or p["plays"] != 1 or p["any_start"]:
            through %= 1
        row = {"age": age, "place": place, "size": size * over(p["size_over"], age)[0], "through": through}
        row |= {"turn": p["rotation"] * (2 * chance(seed + 5, 0, own) - 1)}
        row |= {"opacity": over(p["alpha"], age)[0]}
        row |= {"variant": min(int(chance(seed + 9, 0, own) * e["variants"]), e["variants"] - 1)}
        found.append(row | {"tint": p["brightness"] * over(p["tint_over"], age)})
    return found


def sprite(folder, e, through, variant=0):
    """The light and cover of a sprite, (h, w, 4) linear and premultiplied, without blending along motion."""
    t, first = e["times"], variant * len(e["times"])
    at = t[0] + through * ((t[0] + e["period"] if e["period"] else t[-1]) - t[0])
    n = min(max(int(np.searchsorted(t, at, side="right")) - 1, 0), len(t) - 1)
    after = (n + 1) % len(t) if e["loop"] else min(n + 1, len(t) - 1)
    end = t[n + 1] if n + 1 < len(t) else (t[0] + e["period"] if e["period"] else t[-1] + 1)
    share = min(max((at - t[n]) / (end - t[n]), 0), 1) if e["player"]["blend"] else 0
    raw = np.asarray(Image.open(folder / e["colour"]["file"]).convert("RGBA"))
    light = np.concatenate([srgb(raw[..., :3]), raw[..., 3:] / 255], axis=2)
    if e["colour"]["alpha"] == "straight":
        light[..., :3] *= light[..., 3:]
    second = e["second"]
    if second and second["holds"] == "emission":
        raw = np.asarray(Image.open(folder / second["file"]).convert("RGB"))
        light[..., :3] += srgb(raw) * second["scale"]
    elif second and second["black_body"]:
        table = np.array(second["black_body"])
        heat = np.asarray(Image.open(folder / second["file"]).convert("L")) / 255 * (len(table) - 1)
        glow = np.stack([np.interp(heat, np.arange(len(table)), table[:, c]) for c in range(3)], 2)
        light[..., :3] += glow * light[..., 3:]
    a, b = (cell(light, e, first + frame, e["padding"]) for frame in (n, after))
    return (1 - share) * a + share * b


# --- what is written moment by moment -----------------------------------------------------------------


def particles(folder, e, time):
    """Those that are there, (n, 11): place and width, m; linear light; opacity; way from head to tail, m."""
    if e["law"]:
        return lawful(folder, e, time)
    at, count = moment(e, time), len(e["times"])
    if at is None:
        return np.zeros((0, 11))
    parts = [exr(folder / e[name]["file"]) for name in ("place", "paint")]
    parts.append(exr(folder / e["way"]["file"])[..., :3] if e["way"] else np.zeros((*parts[0].shape[:2], 3)))
    rows = np.concatenate(parts, axis=2).reshape(count, -1, 11)
    a, b = rows[at[0]], rows[at[1]]
    found = mixed(a, b, a[:, 3] > 0, b[:, 3] > 0, at[2])
    return found[found[:, 3] > 0]


def trails(folder, e, time):
    """The heads, (n, 12): place and width, m; linear light; opacity; speed, m/s; age, s."""
    at = moment(e, time)
    if at is None:
        return np.zeros((0, 12))
    rows = np.concatenate([exr(folder / e[name]["file"]) for name in ("place", "paint", "speed")], axis=2)
    a, b = (rows.reshape(len(e["times"]), -1, 12)[n].astype(float) for n in at[:2])
    found, s, dt = mixed(a, b, a[:, 3] > 0, b[:, 3] > 0, at[2]), at[2], e["times"][at[1]] - e["times"][at[0]]
    both = (a[:, 3] > 0) & (b[:, 3] > 0)
    curve = (2 * s**3 - 3 * s**2 + 1) * a[:, :3] + (s**3 - 2 * s**2 + s) * dt * a[:, 8:11]
    curve += (3 * s**2 - 2 * s**3) * b[:, :3] + (s**3 - s**2) * dt * b[:, 8:11]
    found[both, :3] = curve[both]
    return found[found[:, 3] > 0]


def bodies(folder, e, time):
    """Corners of all triangles of the pieces that are there, (n, 3) m; pieces moved by textures."""
    at = moment(e, time)
    if at is None or e["form"] != "textures" or not e["pieces"]:
        return np.zeros((0, 3))
    points, faces = next(iter(glb(folder / e["mesh"]["file"]).values()))
    p, q = (exr(folder / e[n]["file"])[list(at[:2]), : e["pieces"]] for n in ("places", "turns"))
    p, q = p.astype(float), q.astype(float)
    place = mixed(p[0], p[1], p[0, :, 3] > 1e-6, p[1, :, 3] > 1e-6, at[2])
    turn = (1 - at[2]) * q[0] + at[2] * q[1]  # quaternions x, y, z, w
    turn /= np.maximum(np.linalg.norm(turn, axis=1, keepdims=True), 1e-9)
    piece, v = np.repeat(np.arange(e["pieces"]), np.diff(e["starts"]) * 3), points[faces.ravel()]
    xyz, w = turn[piece, :3], turn[piece, 3:]
    found = place[piece, :3] + place[piece, 3:] * (v + 2 * np.cross(xyz, np.cross(xyz, v) + w * v))
    return found[place[piece, 3] > 1e-6]


def light(e, time):
    """Place, m; linear light at 1 m; radius, m: (7,). It falls off by 1 / (r^2 + radius^2), and by
    (1 - (r / reach)^4)^2."""
    at = moment(e, time)
    if at is None:
        return np.zeros(7)
    row = (1 - at[2]) * np.array(e["keys"][at[0]]) + at[2] * np.array(e["keys"][at[1]])
    row[3:6] *= e["player"]["brightness"]
    return row


def volume(folder, e, time):
    """Fields of dense slices by name, (nx, ny, nz), from `low` on; a sparse volume is OpenVDB."""
    at = moment(e, time)
    if at is None or e["form"] != "dense":
        return {}
    (nx, ny, nz), (columns, rows), found = e["shape"], e["tiles"], {}
    for n, part in ((at[0], 1 - at[2]), (at[1], at[2])):
        raw = np.asarray(Image.open(folder / e["frames"][n]["file"]).convert("RGB")) / 255
        tiles = raw.reshape(rows, ny, columns, nx, 3).swapaxes(1, 2).reshape(-1, ny, nx, 3)[:nz]
        box = tiles[:, ::-1].transpose(2, 1, 0, 3)  # slices from the lowest up, y up in each
        for grid in e["grids"]:
            values = box[..., ("red", "green", "blue").index(grid["channel"])] * grid["scale"]
            found[grid["name"]] = found.get(grid["name"], 0) + part * values
    return found


def slices(folder, e, time):
    """Sheets, near ones first: lower left corner, m; linear premultiplied light with cover, (h, w, 4)."""
    at, axes, found = moment(e, time), np.array(e["axes"]), []
    for sheet in e["sheets"] if at is not None else ():
        raw = np.asarray(Image.open(folder / sheet["file"]).convert("RGBA"))
        texels = np.concatenate([srgb(raw[..., :3]) * e["scale"], raw[..., 3:] / 255], axis=2)
        w, h = e["frame"]
        texels = texels[: h * e["rows"], : w * e["columns"]]
        a, b = (cell(texels, e, n) for n in at[:2])
        found.append((np.array(e["corner"]) + sheet["away"] * axes[2], (1 - at[2]) * a + at[2] * b))
    return found


def shimmer(folder, e, time):
    """How far what is behind is bent, (h, w, 2) rad to the right and down, as the camera sees the sheet."""
    at = moment(e, time)
    if at is None:
        return np.zeros((*e["frame"][::-1], 2))
    raw = np.asarray(Image.open(folder / e["atlas"]["file"]).convert("RGB"))[..., :2] / 127.0 - 1.0
    a, b = (cell(raw * e["scale"], e, n) for n in at[:2])
    return ((1 - at[2]) * a + at[2] * b) * e["player"]["strength"]


def surface(folder, e, time):
    """Rise over `level`, m, and foam, (nx, ny); depth, m, 0 where it is dry."""
    t, time = e["times"], time * e["player"]["speed"]
    if e["loops"] and len(t) > 1:  # after the last frame comes the first
        period = t[-1] + (t[-1] - t[0]) / (len(t) - 1)
        time %= period
    if e["loops"] and time > t[-1]:
        at = len(t) - 1, 0, (time - t[-1]) / max(period - t[-1], 1e-9)
    else:
        at = moment(e, min(time, t[-1]))  # what is played once stays as it ended
    if at is None:
        return None
    raw = np.asarray(Image.open(folder / e["heights"]["file"])) / (2.0 ** e["bits"] - 1)
    covers = np.asarray(Image.open(folder / e["covers"]["file"]).convert("RGBA")) / 255
    (w, h), found = e["frame"], []
    for n in at[:2]:
        y, x = n // e["columns"] * h, n % e["columns"] * w
        part = (slice(y, y + h), slice(x, x + w))
        rise = e["lowest"] + raw[part] * (e["highest"] - e["lowest"])
        fields = rise, covers[part][..., 2], covers[part][..., 3] * e["deepest"]
        found.append([np.swapaxes(f[::-1], 0, 1) for f in fields])  # y up
    return [(1 - at[2]) * a + at[2] * b for a, b in zip(*found)]


def meshes(folder, e, time):
    """Points (n, 3), m, and triangles of the last mesh whose time has come."""
    at, nothing = moment(e, time), (np.zeros((0, 3)), np.zeros((0, 3), int))
    if at is None:
        return nothing
    return glb(folder / e["mesh"]["file"]).get(f"frame_{at[0]:04d}", nothing)


# --- particles by their law ---------------------------------------------------------------------------


class Field:
    """Values over a box: cell (x, y, z) of moment m is the texel in column nx z + x of row ny m + y. A value
    is that of its cell's middle; between middles and moments straight, beyond them what is at the edge."""

    def __init__(self, folder, f):
        (nx, ny, nz), self.low, self.cell, self.times = f["shape"], np.array(f["low"]), f["cell"], f["times"]
        raw = exr(folder / f["file"]).astype(float)
        self.values = raw.reshape(len(self.times), ny, nz, nx, 4).transpose(0, 3, 1, 2, 4)

    def at(self, place, time):
        m = np.interp(time, self.times, np.arange(len(self.times)))
        ends = np.array(self.values.shape[1:4]) - 1
        where = np.clip((place - self.low) / self.cell - 0.5, 0, ends)
        first = np.minimum(where.astype(int), np.maximum(ends - 1, 0))
        share, found = where - first, np.zeros((len(place), 4))
        for n, part in ((int(m), 1 - m % 1), (min(int(m) + 1, len(self.times) - 1), m % 1)):
            for corner in np.ndindex(2, 2, 2):
                i, j, k = np.minimum(first + corner, ends).T
                weight = np.prod(np.where(corner, share, 1 - share), axis=1)
                found += (part * weight)[:, None] * self.values[n, i, j, k]
        return found


def flown(a, k, x, v, r):
    """Place and speed r seconds on, by dv/dt = a - k v, exactly."""
    y = k * r
    small, safe = np.abs(y) < 1e-4, np.where(np.abs(y) < 1e-4, 1, k)
    gone = np.where(small, r * (1 - y / 2 * (1 - y / 3)), -np.expm1(-y) / safe)
    fallen = np.where(small, r * r * (0.5 - y / 6 * (1 - y / 4)), (r - gone) / safe)
    after = np.exp(-y)[:, None] * v + gone[:, None] * a
    return x + gone[:, None] * v + fallen[:, None] * a, after


def rubbed(slide, loss):
    """Speeds along a surface, less what friction takes of them."""
    along = np.linalg.norm(slide, axis=1)
    return slide * (np.maximum(along - loss, 0) / np.maximum(along, 1e-9))[:, None]


def met(law, stops, time, x, v, a, k, r, radius):
    """Flights of r seconds that may meet ground or `stops`: place, speed; 0 flies, 1 is held, 2 is gone."""
    state, (end, speed) = np.zeros(len(x), int), flown(a, k, x, v, r)
    left, rest, ways = r.copy(), np.arange(len(x)), ("bounce", "stick", "die")

    def surface_(p, size):  # distance, way off, bounce, friction, response there
        ground, off = law["ground"], np.tile([0.0, 0.0, 1.0], (len(p), 1))
        far, traits = np.full(len(p), np.inf), np.zeros((len(p), 3))
        if ground:
            far = p[:, 2] - size
            traits[:] = ground["bounce"], ground["friction"], ways.index(ground["response"])
        if stops is not None:
            held, h = stops.at(p, time), 0.5 * stops.cell
            near = held[:, 0] - size < far
            ends = [stops.at(p + h * e, time)[:, 0] - stops.at(p - h * e, time)[:, 0] for e in np.eye(3)]
            way = np.stack(ends, axis=1)
            off[near] = (way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9))[near]
            traits[near] = np.column_stack([held[:, 1:3], np.round(held[:, 3])])[near]
            far = np.minimum(far, held[:, 0] - size)
        return far, off, traits

    for _ in range(4 if law["ground"] or stops is not None else 0):  # blows in a step at most
        rest = rest[surface_(end[rest], radius[rest])[0] < 0]
        if not len(rest):
            break
        i, low, high = rest, np.zeros(len(rest)), left[rest].copy()
        for _ in range(12):  # halved until it meets it
            half = 0.5 * (low + high)
            inside = surface_(flown(a[i], k[i], x[i], v[i], half)[0], radius[i])[0] < 0
            low, high = np.where(inside, low, half), np.where(inside, half, high)
        p, w = flown(a[i], k[i], x[i], v[i], low)
        far, off, traits = surface_(p, radius[i])
        p = p + np.maximum(-far, 0)[:, None] * off
        into = (w * off).sum(axis=1)
        slide = w - into[:, None] * off
        bounced = np.where(traits[:, 2] == 0, -traits[:, 0] * into, 0.0)
        left[i] -= low
        x[i], v[i] = p, w
        back = (bounced >= 0.02) & (into < 0)  # m/s: what comes back slower lies
        v[i[back]] = (rubbed(slide, traits[:, 1] * (bounced - into)) + bounced[:, None] * off)[back]
        x[i[back]] += 1e-5 * off[back]
        end[i], speed[i] = flown(a[i], k[i], x[i], v[i], left[i])
        state[i[traits[:, 2] == 2]] = 2
        sticks = traits[:, 2] == 1
        state[i[sticks]], end[i[sticks]], speed[i[sticks]] = 1, p[sticks], 0.0
        lies = ~back & ~sticks & (traits[:, 2] == 0)  # the weight that presses rubs it as well
        j, n = i[lies], off[lies]
        load = a[j] - k[j, None] * v[j]
        press = np.maximum(-(load * n).sum(axis=1), 0)
        along = load - (load * n).sum(axis=1)[:, None] * n
        begins = rubbed(slide[lies], traits[lies, 1] * np.maximum(-into[lies], 0))
        after = rubbed(begins + left[j, None] * along, traits[lies, 1] * press * left[j])
        end[j], speed[j] = x[j] + 0.5 * left[j, None] * (begins + after), after
        deep = surface_(end[j], radius[j])
        end[j] += np.maximum(-deep[0], 0)[:, None] * deep[1]
        rest = i[back]
    return end, speed, state


def lawful(folder, e, time):
    """Those that are there, (n, 11) as `particles`, at the last moment before a time: all births are moved in
    steps of law.step from the first moment on, shorter at each moment."""
    law, flies = e["law"], 0
    tables = (exr(folder / law[n]["file"]).reshape(-1, 4) for n in ("born", "launch", "own"))
    born, launch, own = (table[: law["births"]].astype(float) for table in tables)
    push, stops, shade = (Field(folder, law[n]) if law[n] else None for n in ("push", "stops", "shade"))
    x, v, birth, life = born[:, :3].copy(), launch[:, :3].copy(), born[:, 3], launch[:, 3]
    width, much, feels, until = own.T
    begins, state, now = np.maximum(birth, e["times"][0]), np.zeros(len(x), int), e["times"][0]
    goals = [t for t in e["times"] if t <= time + 1e-9]
    if not goals or moment(e, time) is None:
        return np.zeros((0, 11))
    for goal in goals:
        while now < goal - 1e-9:
            to = min(now + law["step"], goal)
            r = np.minimum(birth + until, to) - np.maximum(begins, now)
            i = np.flatnonzero((r > 0) & (state == flies))
            felt = push.at(x[i] + 0.5 * r[i, None] * v[i], 0.5 * (now + to))
            a, k = [0, 0, -law["gravity"]] + feels[i, None] * felt[:, :3], feels[i] * felt[:, 3]
            radius = width[i] * law["thick"]
            x[i], v[i], state[i] = met(law, stops, now, x[i], v[i], a, k, r[i], radius)
            now = to
    i = np.flatnonzero((begins <= now + 1e-9) & (now < birth + until - 1e-9) & (state != 2))
    table, age = exr(folder / law["over"]["file"]).astype(float), now - birth[i]

    def at(row, share):
        y = np.clip(share, 0, 1) * (table.shape[1] - 1)
        return np.stack([np.interp(y, np.arange(table.shape[1]), table[row, :, c]) for c in range(4)], 1)

    lived = age / np.maximum(life[i], 1e-6)
    glow = at(0, age / law["light_span"] if law["light_span"] > 0 else lived)[:, :3] * much[i, None]
    glow = glow * shade.at(x[i], now)[:, :3] if shade is not None else glow
    wide = width[i] * at(1, lived)[:, 0]
    way = -v[i] * (law["streak"] + law["stretch"] * wide)[:, None]
    return np.column_stack([x[i], wide, glow, at(0, lived)[:, 3], way])


# --- by hand --------------------------------------------------------------------------------------------

ROUTES = {
    "flipbook": lambda folder, e, time: flipbook(e, time),
    "light": lambda folder, e, time: light(e, time),
}
ROUTES |= {"particles": particles, "trails": trails, "bodies": bodies, "volume": volume, "slices": slices}
ROUTES |= {"shimmer": shimmer, "surface": surface, "meshes": meshes}


def at(folder, e, time):
    """What an element is at a time; None of what a game solves itself."""
    return ROUTES[e["route"]](folder, e, time) if e["route"] in ROUTES else None


def main(words):
    elements = json.loads((HERE / "manifest.json").read_text())["elements"]
    chosen = [e for e in elements if not words or e["id"] == words[0]]
    if not chosen:
        sys.exit(f"{words[0]} is no element here; there are {', '.join(e['id'] for e in elements)}.")
    for e in chosen:
        found = at(HERE, e, float(words[1]) if len(words) > 1 else e["times"][0])
        shape = getattr(found, "shape", None) or (len(found) if found is not None else "solved by the game")
        print(f"{e['id']} ({e['route']}): {shape}")
        if e["route"] == "flipbook" and found and len(words) > 2:
            rgba = sprite(HERE, e, found[0]["through"], found[0]["variant"])
            alpha = np.uint8(255 * rgba[..., 3:] + 0.5)
            Image.fromarray(np.concatenate([film(rgba[..., :3]), alpha], axis=2)).save(words[2])


if __name__ == "__main__":
    main(sys.argv[1:])
