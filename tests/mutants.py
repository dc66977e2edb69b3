"""Damaged files, made on purpose and the same for the same seed: bundles, photos, kits and techniques.

Each function takes healthy content and a random generator and gives back what somebody's disk, mail or hand might have made of it.
"""

from __future__ import annotations

import io
import json
import random
import struct
import zipfile
from pathlib import Path
from typing import Any

from hanabira.core.solver.layer import Layer
from hanabira.demo.pictures import PHOTO
from hanabira.studio.bundle import write_bundle
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Shot, Terms, cover_crop
from hanabira.studio.store import Store

ODD: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 3.5, -0.0, 1e308, -1e308, 5e-324, float("nan"), float("inf"), -float("inf"), 2**31, 2**63, 10**400, "", " ", "x", "x" * 5000,
    "9999-12-31", "0001-01-01", "2026-02-30", "2026-03-31T25:00:00", "\ud800", "\x00", "..", "../../etc/passwd", "=1+1", "#ggg", "#12345", "none", "velvet",
    [], {}, [[]], [1], [[1, 2]], {"a": 1}, [None] * 3, [[[[[]]]]],
)  # fmt: skip
"""Values that have no business where they are put."""


def healthy(folder: Path) -> bytes:
    """A small commission with everything a bundle can hold, as a bundle's bytes."""
    from PIL import Image

    small = folder / "small.jpg"
    with Image.open(PHOTO) as image:
        image.resize((320, 256)).save(small, quality=90)
    with Store.open(folder / "source") as store:
        digest, suffix, (w, h) = store.take_in(small)
        c = Commission(
            "c", "Moss", "Ada Fenn", "grey cat", due="2026-09-09", notes="one torn ear", created="2026-01-01T00:00:00", school=(("lights", "indent"),),
            terms=Terms(rate=30, moved=(("a2:0", "a1:0"),), start="2026-05-01"), tray=("203", "401"), backdrop="#334455 #778899",
        )  # fmt: skip
        photos = [
            Photo("p", "c", digest, suffix, "small.jpg", w, h, cover_crop(w, h, 220 / 280)),
            Photo("q", "c", digest, suffix, "again.jpg", w, h, (0.0, 0.0, 99.0, 99.0), "eye", 1),
        ]
        rings = [((60.0 + 40 * k, 60.0), (110.0 + 40 * k, 70.0), (100.0 + 40 * k, 130.0), (64.0 + 40 * k, 120.0)) for k in range(3)]
        areas = [
            Area("a0", "c", "p", 1, "Eye", "eye", rings[0], eye=((85.0, 90.0), (100.0, 90.0))),
            Area(
                "a1",
                "c",
                "p",
                2,
                "Cheek",
                "short-fur",
                rings[1],
                combing=(((120.0, 80.0), (140.0, 100.0)),),
                marking_edits=(("add", rings[1][:3]),),
            ),
            Area("a2", "c", "p", 3, "Brow", "short-fur", rings[2], holes=(rings[2][:3],), colour_photo_id="q", colour_ring=rings[0]),
        ]
        layers = (
            Layer("ground", "203", 1, 2, "everywhere", "side", id="0"),
            Layer("general", "401", 3, 1, "all but the lights", "flick", 4.0, id="1"),
            Layer("blend", "", 2, 1, "gaps", tool="stump", id="2"),
        )
        row = LogRow("r0", "c", "a1:0", "a1", "Cheek", "short-fur", "ground", "203", 1, 12.5, 8.0, "2026-05-02T10:00:00", "soft")
        store.edit(
            [
                c,
                *photos,
                *areas,
                Recipe("a1", layers, "note"),
                Recipe("a2", layers),
                row,
                Shot("s0", "c", digest, suffix, "work.jpg", w, h, "2026-05-02T11:00:00", "a1:1"),
            ]
        )
        return write_bundle(store, "c", folder / "healthy.zip").path.read_bytes()


# -- bundles ----------------------------------------------------------------------
def _places(value: Any, path: tuple = ()) -> list[tuple]:
    out = [path] if path else []
    if isinstance(value, dict):
        for key, v in value.items():
            out += _places(v, (*path, key))
    elif isinstance(value, list):
        for k, v in enumerate(value):
            out += _places(v, (*path, k))
    return out


def _mutate(value: Any, r: random.Random) -> Any:
    """One change somewhere in plain data; text that holds data itself is opened first, half of the times."""
    places = _places(value)
    if not places:
        return r.choice(ODD)
    path = r.choice(places)
    at = value
    for key in path[:-1]:
        at = at[key]
    key, old = path[-1], at[path[-1]]
    if isinstance(old, str) and old[:1] in "[{" and r.random() < 0.7:
        try:
            at[key] = json.dumps(_mutate(json.loads(old), r))
            return value
        except ValueError:
            pass
    how = r.randrange(6)
    if how == 0 and isinstance(at, dict):
        del at[key]
    elif how == 1 and isinstance(at, list):
        at.append(at[r.randrange(len(at))])
    elif how == 2 and isinstance(old, int | float) and not isinstance(old, bool):
        at[key] = old * r.choice((-1, 0, 1e6, 1e-9, 1000))
    elif how == 3 and isinstance(old, str):
        at[key] = old[: len(old) // 2] + r.choice(("", "\u0000", "é", "\ud83d", "<&>", "'", "%n")) + old[len(old) // 2 :]
    else:
        at[key] = r.choice(ODD)
    return value


def bundle(good: bytes, r: random.Random) -> bytes:
    """A bundle that differs from a good one in its records, in its entries or in its bytes."""
    kind = r.random()
    if kind < 0.16:
        data = bytearray(good)
        how = r.randrange(3)
        if how == 0:
            return bytes(data[: r.randrange(len(data))])
        if how == 1:
            # the directory and the heads of entries, where a flipped bit means most
            starts = [m for m in range(len(data) - 4) if data[m : m + 2] == b"PK"]
            at = r.choice(starts) + r.randrange(4, 46)
            data[min(at, len(data) - 1)] ^= 1 << r.randrange(8)
            return bytes(data)
        for _ in range(r.randrange(1, 30)):
            data[r.randrange(len(data))] = r.randrange(256)
        return bytes(data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(good)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for e in old.infolist():
            raw, name = old.read(e), e.filename
            if name == "commission.json" and kind < 0.86:
                value = json.loads(raw)
                for _ in range(r.choice((1, 1, 1, 2, 4))):
                    value = _mutate(value, r)
                raw = json.dumps(value).encode("utf-8", "surrogatepass")
                if r.random() < 0.05:
                    raw = b"[" * 100_000
            elif kind >= 0.86 and r.random() < 0.4:
                how = r.randrange(6)
                if how == 0:
                    continue
                if how == 1:
                    raw = raw[: len(raw) // 2]
                elif how == 2:
                    name = r.choice(("../out", "/abs", "C:/x", "x" * 900, name + "\x00", "photos/../a", name.upper()))
                elif how == 3 and name.startswith("photos/"):
                    raw = photo(raw, r)
                elif how == 4:
                    raw = bytes(200_000)
                else:
                    new.writestr(name + "2", raw)
            new.writestr(name, raw)
    return out.getvalue()


# -- photos -------------------------------------------------------------------------
def photos(folder: Path) -> list[bytes]:
    """Healthy pictures of every kind that can be read."""
    import numpy as np
    import pillow_heif
    import tifffile
    from PIL import Image

    pillow_heif.register_heif_opener()
    rng = np.random.default_rng(3)
    pixels = (np.clip(np.cumsum(rng.normal(0, 6, (96, 128, 3)), 1) + 128, 0, 255)).astype(np.uint8)
    image, out = Image.fromarray(pixels), []
    for kind, more in (
        ("JPEG", {}),
        ("JPEG", {"progressive": True}),
        ("PNG", {}),
        ("WEBP", {}),
        ("TIFF", {}),
        ("TIFF", {"compression": "tiff_lzw"}),
        ("HEIF", {}),
    ):
        buffer = io.BytesIO()
        image.save(buffer, kind, **more)
        out.append(buffer.getvalue())
    for values, more in (
        (pixels.astype(np.uint16) * 257, {"photometric": "rgb", "compression": "lzw"}),
        ((pixels.astype(np.uint16) * 257).transpose(2, 0, 1), {"photometric": "rgb", "planarconfig": "separate"}),
        (np.dstack([pixels, pixels[..., :1]]), {"photometric": "separated"}),
        (pixels.astype(np.uint16)[..., 0] * 257, {"photometric": "minisblack", "tile": (32, 32)}),
    ):
        tifffile.imwrite(folder / "deep.tif", values, **more)
        out.append((folder / "deep.tif").read_bytes())
    return out


def photo(good: bytes, r: random.Random) -> bytes:
    """A picture file with flipped, missing, doubled or invented bytes; heads more often than pixels."""
    data = bytearray(good)
    how = r.randrange(7)
    if how == 0:
        return bytes(data[: r.randrange(len(data) + 1)])
    if how == 1:
        at = r.randrange(len(data))
        del data[at : at + r.randrange(1, 64)]
    elif how == 2:
        at = r.randrange(len(data))
        data[at:at] = data[at : at + r.randrange(1, 400)]
    elif how == 3:
        data = data[: r.randrange(8, 64)] + bytearray(r.randbytes(400))
    elif how == 4:
        at = r.randrange(min(300, len(data) - 4))
        data[at : at + 4] = struct.pack(r.choice("<>") + "I", r.choice((0, 1, 0xFFFF, 0xFFFFFFFF, 0x7FFFFFFF, 199_000_000)))
    else:
        for _ in range(r.randrange(1, 12)):
            data[r.randrange(len(data) if how == 5 else min(400, len(data)))] = r.randrange(256)
    return bytes(data)


# -- kits and techniques ---------------------------------------------------------------
def text(good: bytes, r: random.Random) -> bytes:
    """A text file with bytes, words or lines that somebody's editor or transfer changed."""
    data = bytearray(good)
    how = r.randrange(6)
    if how == 0:
        return bytes(data[: r.randrange(len(data) + 1)])
    if how == 1:
        for _ in range(r.randrange(1, 8)):
            data[r.randrange(len(data))] = r.randrange(256)
        return bytes(data)
    lines = bytes(data).split(b"\n")
    k = r.randrange(len(lines))
    if how == 2:
        lines[k] = lines[k] * r.choice((2, 300))
    elif how == 3:
        words = lines[k].replace(b",", b" , ").split(b" ")
        words[r.randrange(len(words))] = json.dumps(r.choice(ODD)).encode("utf-8", "surrogatepass")
        lines[k] = b" ".join(words)
    elif how == 4:
        lines[k] = r.choice((b"", b'"', b"\x00", b"[[layer]]", b"=1+1", b"[" * 3000, b"code,name,hex", b'a = """'))
    else:
        r.shuffle(lines)
    return b"\n".join(lines)
