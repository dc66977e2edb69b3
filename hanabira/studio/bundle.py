"""Open bundles: a commission with everything that belongs to it in one ZIP, out and in.

``commission.json`` holds the records, ``photos/`` the original files, ``masks/`` a picture of every area, ``log.csv`` the log,
``README.txt`` the format. Everything is plain text or PNG, so that it can be read without this application.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import tempfile
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

import cv2
import numpy as np
from PIL import Image

from hanabira.core.area.shape import fill_ring, smooth_ring
from hanabira.core.faults import StudioFault
from hanabira.core.optics.kit import Kit
from hanabira.core.token import SILENT, Token
from hanabira.craft.kitfile import parse_csv
from hanabira.craft.reader import shipped_kit
from hanabira.studio import tables
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Shot, StudioKit, new_id
from hanabira.studio.store import Store
from hanabira.studio.writing import write_file

R = TypeVar("R")
FORMAT, VERSION = "hanabira bundle", 1
MOST_BYTES = 2_000_000_000
MOST_RATIO = 200
MOST_ENTRIES = 2000
_MASK_SIDE = 1600
_README = """A commission of a portrait in coloured pencil or pastel, as an open bundle.

commission.json  the records: commission, photos, areas (outlines in pixels of the prepared photo), recipes, kit, log, shots
photos/          the client's photos as they came and the photos of the work ("shots"), named by the SHA-256 of their content
masks/           every area as a black and white picture, named by its number
log.csv          what was done, when, with what, for how many minutes
Lengths are in millimetres of the paper, angles in degrees counter-clockwise from the right, colours Lab (D65).
"""


@dataclass(frozen=True)
class Contents:
    """What a bundle holds, as records."""

    commission: Commission
    photos: tuple[Photo, ...]
    areas: tuple[Area, ...]
    recipes: tuple[Recipe, ...]
    log: tuple[LogRow, ...]
    kit: StudioKit | None
    shots: tuple[Shot, ...] = ()

    @property
    def main_photo(self) -> Photo:
        """The photo on the sheet. Raises `StudioFault` without one."""
        if not self.photos:
            raise StudioFault(f"“{self.commission.name}” has no photo yet.", do="Add the client’s photo first.")
        return self.photos[0]


def kit_of_bundle(got: Contents) -> Kit:
    """The kit of a bundle's commission: its own, or the shipped one that it names."""
    if got.kit is not None:
        return parse_csv(got.kit.pencils, got.kit.name)
    return shipped_kit(got.commission.kit_id)


def contents_of(store: Store, commission: str) -> Contents:
    """Everything of a commission, by id or by name. Raises `StudioFault` when there is none, or more than one of that name."""
    found = [c for c in store.all(Commission) if commission in (c.id, c.name)]
    exact = [c for c in found if c.id == commission] or found
    if len(exact) != 1:
        words = "There are several commissions" if exact else "There is no commission"
        raise StudioFault(f"{words} “{commission}” in this studio.", do="Use its id." if exact else "Look on the shelf for its name.")
    c = exact[0]
    areas = store.all(Area, commission_id=c.id)
    ids = {a.id for a in areas}
    recipes = tuple(r for r in store.all(Recipe) if r.area_id in ids)
    return Contents(
        c, store.all(Photo, commission_id=c.id), areas, recipes, store.all(LogRow, commission_id=c.id), store.get(StudioKit, c.kit_id),
        store.all(Shot, commission_id=c.id),
    )  # fmt: skip


def write_bundle(store: Store, commission: str, target: Path, token: Token = SILENT) -> Path:
    """Write a commission as a bundle. Raises `StudioFault` for an unknown one, `Fault` when the file cannot be written."""
    got = contents_of(store, commission)
    data = {
        "format": FORMAT, "version": VERSION, "commission": _row(got.commission), "photos": [_row(p) for p in got.photos], "areas": [_row(a) for a in got.areas],
        "recipes": [_row(r) for r in got.recipes], "log": [_row(q) for q in got.log], "kit": _row(got.kit) if got.kit else None,
        "shots": [_row(q) for q in got.shots],
    }  # fmt: skip
    with tempfile.TemporaryFile() as out:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
            z.writestr("README.txt", _README)
            z.writestr("commission.json", json.dumps(data, ensure_ascii=False, indent=1))
            z.writestr("log.csv", log_csv(got.log))
            both: tuple[Photo | Shot, ...] = (*got.photos, *got.shots)
            pictures = {(p.digest, p.suffix): p for p in both}
            for k, p in enumerate(pictures.values()):
                token.report(0.1 + 0.6 * k / len(pictures), f"Packing {p.original_name}")
                z.write(store.photo_path(p), f"photos/{p.digest}{p.suffix}", zipfile.ZIP_STORED)
            for k, a in enumerate(got.areas):
                token.report(0.7 + 0.3 * k / len(got.areas), f"Drawing the mask of {a.name}")
                photo = next(p for p in got.photos if p.id == a.photo_id)
                z.writestr(f"masks/{a.number:02d}.png", _mask(a, photo))
        out.seek(0)
        return write_file(target, out.read())


def _row(record: object) -> dict:
    return tables.to_row(record)  # type: ignore[arg-type]


def _mask(a: Area, photo: Photo) -> bytes:
    k = min(1.0, _MASK_SIDE / max(photo.size))
    w, h = max(1, round(photo.width_px * k)), max(1, round(photo.height_px * k))
    curve = lambda r: (smooth_ring(r) if a.smooth else np.asarray(r, float)) * k  # noqa: E731
    inside = fill_ring(curve(a.ring), h, w)
    for hole in a.holes:
        inside &= ~fill_ring(curve(hole), h, w)
    out = io.BytesIO()
    Image.fromarray(cv2.convertScaleAbs(inside.astype(np.uint8), alpha=255)).convert("1").save(out, "PNG")
    return out.getvalue()


LOG_COLUMNS = ("at", "area_name", "surface_id", "role", "pencil", "pressure", "minutes", "guess_min", "state", "differs", "note")


def log_csv(log: tuple[LogRow, ...]) -> str:
    """The log as CSV, a line a step."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(LOG_COLUMNS)
    for q in log:
        writer.writerow([getattr(q, c) for c in LOG_COLUMNS])
    return out.getvalue()


def _fault(path: Path, words: str) -> StudioFault:
    return StudioFault(f"{path.name} is no bundle that can be read: {words}.", "Nothing was taken in.", "Ask for the bundle again.")


def _checked(path: Path) -> zipfile.ZipFile:
    """The archive, once its names and sizes are harmless."""
    try:
        z = zipfile.ZipFile(path)
    except OSError as error:
        raise StudioFault(f"{path.name} could not be read: {error.strerror or error}.", "Nothing was taken in.") from error
    except zipfile.BadZipFile as error:
        raise _fault(path, "it is no ZIP file, or was cut off") from error
    try:
        entries = z.infolist()
        if len(entries) > MOST_ENTRIES:
            raise _fault(path, f"it holds {len(entries)} entries")
        if sum(e.file_size for e in entries) > MOST_BYTES:
            raise _fault(path, "unpacked it would be larger than two gigabytes")
        for e in entries:
            parts = Path(e.filename.replace("\\", "/")).parts
            if e.filename.startswith("/") or ".." in parts or (parts and ":" in parts[0]):
                raise _fault(path, f"the entry “{e.filename}” leads outside it")
            if e.file_size > 10_000_000 and e.compress_size * MOST_RATIO < e.file_size:
                raise _fault(path, f"the entry “{e.filename}” swells beyond reason")
    except BaseException:
        z.close()
        raise
    return z


def _records(path: Path, z: zipfile.ZipFile) -> Contents:
    try:
        data = json.loads(z.read("commission.json").decode("utf-8"))
    except KeyError as error:
        raise _fault(path, "commission.json is missing") from error
    except (ValueError, zipfile.BadZipFile, OSError) as error:
        raise _fault(path, "commission.json is damaged") from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise _fault(path, "it is something else")
    if not isinstance(data.get("version"), int) or data["version"] > VERSION:
        raise StudioFault(f"{path.name} was written by a newer version of Hanabira.", "Nothing was taken in.", "Open it with that version.")
    try:
        known = lambda kind, row: {c.name: row[c.name] for c in tables.TABLES[kind].columns if c.name in row}  # noqa: E731

        def read(kind: type[R], rows: Sequence[dict]) -> tuple[R, ...]:
            return tuple(tables.from_row(kind, known(kind, r)) for r in rows)  # type: ignore[misc]

        kit = read(StudioKit, [data["kit"]])[0] if data.get("kit") else None
        got = Contents(
            read(Commission, [data["commission"]])[0], read(Photo, data["photos"]), read(Area, data["areas"]), read(Recipe, data["recipes"]),
            read(LogRow, data.get("log", [])), kit, read(Shot, data.get("shots", [])),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, AttributeError, StudioFault) as error:
        raise _fault(path, f"commission.json lacks or mistakes {error}") from error
    photos, areas = {p.id for p in got.photos}, {a.id for a in got.areas}
    if any(a.photo_id not in photos for a in got.areas) or any(r.area_id not in areas for r in got.recipes):
        raise _fault(path, "its records do not belong together")
    return got


def read_bundle(path: Path) -> Contents:
    """What a bundle holds, without taking it in. Raises `StudioFault` that names the fault."""
    with _checked(path) as z:
        return _records(path, z)


def import_bundle(store: Store, path: Path, token: Token = SILENT) -> Commission:
    """Take a bundle into a studio in one transaction; where its commission is there already, a copy is made.

    Raises `StudioFault`; then nothing was taken in but photos that no record names.
    """
    with _checked(path) as z, tempfile.TemporaryDirectory() as folder:
        got = _records(path, z)
        pictures: tuple[Photo | Shot, ...] = (*got.photos, *got.shots)
        for k, p in enumerate(pictures):
            token.report(0.8 * k / max(1, len(pictures)), f"Taking in {p.original_name}")
            name = f"photos/{p.digest}{p.suffix}"
            try:
                data = z.read(name)
            except (KeyError, zipfile.BadZipFile, OSError) as error:
                raise _fault(path, f"{name} is missing or damaged") from error
            if hashlib.sha256(data).hexdigest() != p.digest:
                raise _fault(path, f"{name} is not the photo it says")
            part = Path(folder) / f"{k}{p.suffix}"
            part.write_bytes(data)
            digest, suffix, size = store.take_in(part)
            if (digest, suffix, size) != (p.digest, p.suffix, (p.width_px, p.height_px)):
                raise _fault(path, f"{p.original_name} has another size than its record")
        fresh = _fresh(got) if store.get(Commission, got.commission.id) else got
        kit = [fresh.kit] if fresh.kit is not None and store.get(StudioKit, fresh.kit.id) is None else []
        store.edit([*kit, fresh.commission, *fresh.photos, *fresh.areas, *fresh.recipes, *fresh.log, *fresh.shots])
    return fresh.commission


def _fresh(got: Contents) -> Contents:
    """The same with new ids, so that it stands beside what is there."""
    cid = new_id()
    photo: Mapping[str, str] = {p.id: new_id() for p in got.photos}
    area: Mapping[str, str] = {a.id: new_id() for a in got.areas}
    step = lambda key: f"{area.get(key.partition(':')[0], key.partition(':')[0])}:{key.partition(':')[2]}" if ":" in key else key  # noqa: E731
    terms = replace(got.commission.terms, moved=tuple((step(a), step(b)) for a, b in got.commission.terms.moved))
    return Contents(
        replace(got.commission, id=cid, name=f"{got.commission.name} (copy)", terms=terms),
        tuple(replace(p, id=photo[p.id], commission_id=cid) for p in got.photos),
        tuple(
            replace(a, id=area[a.id], commission_id=cid, photo_id=photo[a.photo_id], colour_photo_id=photo.get(a.colour_photo_id, ""))
            for a in got.areas
        ),
        tuple(replace(r, area_id=area[r.area_id]) for r in got.recipes),
        tuple(replace(q, id=new_id(), commission_id=cid, area_id=area.get(q.area_id, ""), step=step(q.step)) for q in got.log),
        got.kit,
        tuple(replace(q, id=new_id(), commission_id=cid, step=step(q.step)) for q in got.shots),
    )
