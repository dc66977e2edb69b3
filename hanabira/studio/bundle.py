"""Open bundles: a commission with everything that belongs to it in one ZIP, out and in.

``commission.json`` holds the records, ``photos/`` the original files, ``masks/`` a picture of every area, ``log.csv`` the log,
``README.txt`` the format. Everything is plain text or PNG, so that it can be read without this application.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import re
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import cv2
import numpy as np
from PIL import Image

from hanabira.core.area.shape import fill_ring, smooth_ring
from hanabira.core.faults import Cancelled, Fault, PhotoFault, RecordFault, StudioFault
from hanabira.core.schedule.work import Pace
from hanabira.core.token import SILENT, Token
from hanabira.craft.cells import table_csv
from hanabira.craft.kitfile import parse_csv
from hanabira.craft.supplies import shipped_kit
from hanabira.studio import kits, tables
from hanabira.studio.account import FirstPlan, first_plan_key
from hanabira.studio.layer_ids import carry_over, numbered
from hanabira.studio.planning import pace_of
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, Recipe, Shot, StudioKit, new_id
from hanabira.studio.writing import refused, write_file

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.studio.store import Store

R = TypeVar("R")
FORMAT, VERSION = "hanabira bundle", 4
"""Version 1 named steps by the places of their layers; before version 3 recipes were planned by values only, before version 4 no photo was checked."""
MOST_BYTES = 2_000_000_000
MOST_RECORD_BYTES = 100_000_000
MOST_RATIO = 200
MOST_ENTRIES = 2000
MOST_NAME = 300
_MASK_SIDE = 1600
_README = """A commission of a portrait in coloured pencil or pastel, as an open bundle.

commission.json  the records: commission, photos, areas (outlines in pixels of the prepared photo), recipes, kit, log, shots,
                 checks (what each photo of the work told, under the photo's id);
                 "first_plan" is what was promised before the first step: minutes by day, and low and high minutes by area;
                 "pace" is how much longer than our guess the artist takes, in all and by surface, from so many logged areas;
                 "missing" are the digests of photos whose files were lost when it was written
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
    missing: frozenset[str] = frozenset()
    """Digests of photos whose files were lost before the bundle was written."""
    checks: tuple[PhotoCheck, ...] = ()
    first_plan: FirstPlan | None = None
    """What was promised before the first step was done."""
    pace: Pace | None = None
    """The artist's pace when it was written: the hours and the price are those of the studio that it comes from."""

    @property
    def pictures(self) -> tuple[Photo | Shot, ...]:
        """The client's photos and those of the work."""
        return (*self.photos, *self.shots)

    @property
    def main_photo(self) -> Photo:
        """The photo on the sheet. Raises `StudioFault` without one."""
        if not self.photos:
            raise StudioFault(f"“{self.commission.name}” has no photo yet.", do="Add the client’s photo first.")
        return self.photos[0]


@dataclass(frozen=True)
class Written:
    """A bundle on the disk, and what has to be said of it."""

    path: Path
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class TakenIn:
    """A commission from a bundle as it is in the studio now, and what has to be said of it."""

    commission: Commission
    remarks: tuple[str, ...] = ()


def kit_of_bundle(got: Contents) -> Kit:
    """The kit of a bundle's commission: its own, or the shipped one that it names."""
    if got.kit is not None:
        return parse_csv(got.kit.pencils, got.kit.name)
    return shipped_kit(got.commission.kit_id)


def contents_of(store: Store, commission: str) -> Contents:
    """Everything of a commission, by id or by name. Raises `StudioFault` when there is none, or more than one of that name."""
    with store.snapshot():
        found = [c for c in store.all(Commission) if commission in (c.id, c.name)]
        exact = [c for c in found if c.id == commission] or found
        if len(exact) != 1:
            words = "There are several commissions" if exact else "There is no commission"
            raise StudioFault(f"{words} “{commission}” in this studio.", do="Use its id." if exact else "Look on the shelf for its name.")
        c = exact[0]
        photos = store.all(Photo, commission_id=c.id)
        known = {p.id for p in photos}
        areas = tuple(a for a in store.all(Area, commission_id=c.id) if a.photo_id in known)
        areas = tuple(a if a.colour_photo_id in ("", *known) else replace(a, colour_photo_id="", colour_ring=()) for a in areas)
        ids = {a.id for a in areas}
        return Contents(
            c, photos, areas, tuple(r for r in store.all(Recipe, commission_id=c.id) if r.area_id in ids), store.all(LogRow, commission_id=c.id),
            kits.kit_record(store, c.kit_id), store.all(Shot, commission_id=c.id), checks=store.all(PhotoCheck, commission_id=c.id),
            first_plan=FirstPlan.of_data(store.setting(first_plan_key(c.id))), pace=pace_of(store.all(LogRow)),
        )  # fmt: skip


def write_bundle(store: Store, commission: str, target: Path, token: Token = SILENT) -> Written:
    """Write a commission as a bundle. A photo whose file is lost or damaged is named and left out; all the rest is written.

    Raises `StudioFault` for an unknown commission, `Fault` when the file cannot be written.
    """
    with store.snapshot():
        got = contents_of(store, commission)
        unreadable = [q for q in store.unreadable() if q.commission_id == got.commission.id]
    pictures = {(p.digest, p.suffix): p for p in got.pictures}
    lost = {key: p for key, p in pictures.items() if not store.holds(p)}
    data = {
        "format": FORMAT, "version": VERSION, "commission": _row(got.commission), "photos": [_row(p) for p in got.photos], "areas": [_row(a) for a in got.areas],
        "recipes": [_row(r) for r in got.recipes], "log": [_row(q) for q in got.log], "kit": _row(got.kit) if got.kit else None,
        "shots": [_row(q) for q in got.shots], "checks": [_row(q) for q in got.checks], "missing": sorted({digest for digest, _suffix in lost}),
        "first_plan": got.first_plan.as_data() if got.first_plan is not None else None,
        "pace": {"overall": got.pace.overall, "surface": dict(got.pace.surface), "logged": got.pace.logged} if got.pace is not None else None,
    }  # fmt: skip
    try:
        with tempfile.TemporaryFile() as out:
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
                z.writestr("README.txt", _README)
                z.writestr("commission.json", json.dumps(data, ensure_ascii=False, indent=1, allow_nan=False))
                z.writestr("log.csv", log_csv(got.log))
                there = [p for key, p in pictures.items() if key not in lost]
                for k, p in enumerate(there):
                    token.report(0.1 + 0.6 * k / len(there), f"Packing {p.original_name}")
                    z.write(store.photo_path(p), f"photos/{p.digest}{p.suffix}", zipfile.ZIP_STORED)
                by_id = {p.id: p for p in got.photos}
                numbers = [a.number for a in got.areas]
                for k, a in enumerate(got.areas):
                    token.report(0.7 + 0.3 * k / len(got.areas), f"Drawing the mask of {a.name}")
                    again = f"-{k + 1}" if numbers.index(a.number) < k else ""
                    z.writestr(f"masks/{a.number:02d}{again}.png", _mask(a, by_id[a.photo_id]))
            out.seek(0)
            path = write_file(target, out)
    except OSError as error:
        raise refused(target, error) from error
    remarks = [f"The file of {p.original_name} is lost or damaged and is not in the bundle." for p in lost.values()]
    remarks += [f"{q.name} cannot be read ({q.cause}) and is not in the bundle." for q in unreadable]
    return Written(path, tuple(remarks))


def _row(record: object) -> dict[str, Any]:
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
    return table_csv(LOG_COLUMNS, [[getattr(q, c) for c in LOG_COLUMNS] for q in log])


def _fault(path: Path, words: str) -> StudioFault:
    return StudioFault(f"{path.name} is no bundle that can be read: {words}.", "Nothing was taken in.", "Ask for the bundle again.")


@contextlib.contextmanager
def _checked(path: Path) -> Iterator[zipfile.ZipFile]:
    """The archive, once its names and sizes are harmless."""
    if not path.is_file():
        raise StudioFault(f"{path.name} is no file.", "Nothing was taken in.", "Choose a bundle.")
    try:
        z = zipfile.ZipFile(path)
    except OSError as error:
        raise StudioFault(f"{path.name} could not be read: {error.strerror or error}.", "Nothing was taken in.") from error
    except Exception as error:  # a mutilated directory raises whatever its bytes lead to
        raise _fault(path, "it is no ZIP file, or was cut off") from error
    with z:
        entries = z.infolist()
        if len(entries) > MOST_ENTRIES:
            raise _fault(path, f"it holds {len(entries)} entries")
        if sum(e.file_size for e in entries) > MOST_BYTES:
            raise _fault(path, "unpacked it would be larger than two gigabytes")
        if len({e.filename for e in entries}) < len(entries):
            raise _fault(path, "two of its entries have one name")
        for e in entries:
            parts = Path(e.filename.replace("\\", "/")).parts
            if len(e.filename) > MOST_NAME:
                raise _fault(path, f"an entry has a name of {len(e.filename)} characters")
            if e.filename.startswith("/") or ".." in parts or (parts and ":" in parts[0]):
                raise _fault(path, f"the entry “{e.filename}” leads outside it")
            if e.file_size > 10_000_000 and e.compress_size * MOST_RATIO < e.file_size:
                raise _fault(path, f"the entry “{e.filename}” swells beyond reason")
            if e.flag_bits & 0x1:
                raise _fault(path, f"the entry “{e.filename}” is encrypted")
        yield z


def _member(path: Path, z: zipfile.ZipFile, name: str, most: int = MOST_BYTES) -> bytes:
    """An entry's bytes; a `StudioFault` that names it when they cannot be had."""
    try:
        entry = z.getinfo(name)
    except KeyError:
        raise _fault(path, f"{name} is missing") from None
    if entry.file_size > most:
        raise _fault(path, f"{name} is too large")
    try:
        return z.read(entry)
    except Exception as error:  # damaged streams, unknown methods, wrong sums: the library raises many kinds
        raise _fault(path, f"{name} is damaged") from error


def _records(path: Path, z: zipfile.ZipFile) -> Contents:
    raw = _member(path, z, "commission.json", MOST_RECORD_BYTES)
    try:
        data = json.loads(raw.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise _fault(path, "commission.json is damaged") from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise _fault(path, "it is something else")
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise _fault(path, "it does not say its version")
    if version > VERSION:
        raise StudioFault(f"{path.name} was written by a newer version of Hanabira.", "Nothing was taken in.", "Open it with that version.")

    if version < 2:
        data = _with_layer_ids(path, data)

    def read(kind: type[R], name: str) -> tuple[R, ...]:
        rows = data.get(name, [])
        if not isinstance(rows, list):
            raise _fault(path, f"its {name} are no list")
        out = []
        for n, row in enumerate(rows, 1):
            if not isinstance(row, dict):
                raise _fault(path, f"entry {n} of its {name} is no record")
            try:
                known: dict[str, Any] = {c: row[c] for c in tables.TABLES[kind].columns if c in row}
                out.append(tables.read_record(kind, known))
            except RecordFault as fault:
                raise _fault(path, f"entry {n} of its {name}: {fault.what}") from fault
        return tuple(out)

    data = {**data, "commission": [data.get("commission")], "kit": [data["kit"]] if data.get("kit") else []}
    for name in ("photos", "areas", "recipes"):
        if name not in data:
            raise _fault(path, f"its {name} are missing")
    missing = data.get("missing", [])
    if not isinstance(missing, list) or not all(isinstance(q, str) for q in missing):
        raise _fault(path, "what is missing is no list")
    kit, promised = read(StudioKit, "kit"), data.get("first_plan")
    plan = FirstPlan.of_data(promised)
    if promised is not None and plan is None:
        raise _fault(path, "its first plan cannot be understood")
    pace = _pace(data.get("pace"))
    if data.get("pace") is not None and pace is None:
        raise _fault(path, "its pace cannot be understood")
    got = Contents(
        read(Commission, "commission")[0], read(Photo, "photos"), read(Area, "areas"), recipes=read(Recipe, "recipes"), log=read(LogRow, "log"),
        kit=kit[0] if kit else None, shots=read(Shot, "shots"), missing=frozenset(missing), checks=read(PhotoCheck, "checks"), first_plan=plan,
        pace=pace,
    )  # fmt: skip
    words = _does_not_belong(got)
    if words:
        raise _fault(path, f"its records do not belong together ({words})")
    return got


def _pace(raw: Any) -> Pace | None:
    """A pace from plain data; None when it makes no sense."""
    try:
        pace = Pace(float(raw["overall"]), {str(k): float(v) for k, v in raw["surface"].items()}, int(raw["logged"]))
    except (TypeError, ValueError, KeyError, AttributeError, OverflowError):
        return None
    factors = (pace.overall, *pace.surface.values())
    return pace if all(0.05 <= v <= 20 for v in factors) and 0 <= pace.logged < 10**6 and len(factors) < 1000 else None


def _with_layer_ids(path: Path, data: dict[str, Any]) -> dict[str, Any]:
    """The data of a bundle of version 1 with lasting ids of layers, as its studio would have them after an update."""
    try:
        layers = {r["area_id"]: numbered(r["area_id"], json.loads(r["layers"])) for r in data["recipes"]}
        keys = carry_over(layers, [q for q in data.get("log", []) if isinstance(q["step"], str)])
        terms = json.loads(data["commission"]["terms"]) if "terms" in data["commission"] else {}
        if "moved" in terms:
            terms["moved"] = [[keys.get(k, k) for k in pair] for pair in terms["moved"]]
        step = lambda q: {**q, "step": keys.get(q["step"], q["step"])}  # noqa: E731
        return {
            **data, "recipes": [{**r, "layers": json.dumps(layers[r["area_id"]])} for r in data["recipes"]],
            "commission": {**data["commission"], **({"terms": json.dumps(terms)} if terms else {})},
            "log": [step(q) for q in data.get("log", [])], "shots": [step(q) for q in data.get("shots", [])],
        }  # fmt: skip
    except RecordFault:
        raise
    except (KeyError, TypeError, ValueError, AttributeError, RecursionError) as error:
        raise _fault(path, f"its recipes and its log cannot be brought together ({' '.join(str(error).split())[:80]})") from error


def _does_not_belong(got: Contents) -> str:
    """The first thing in which records of one bundle contradict one another; empty when there is none."""
    photos, areas = {p.id for p in got.photos}, {a.id for a in got.areas}
    for group in (got.photos, got.areas, got.log, got.shots, got.checks):
        ids = [q.id for q in group]
        if len(set(ids)) < len(ids):
            return "two have one id"
        if any(q.commission_id != got.commission.id for q in group):
            return "one is of another commission"
    if len({r.area_id for r in got.recipes}) < len(got.recipes):
        return "an area has two recipes"
    for a in got.areas:
        if a.photo_id not in photos or a.colour_photo_id not in photos | {""}:
            return f"the photo of {a.name} is not there"
    if {q.id for q in got.checks} - {q.id for q in got.shots}:
        return "a verdict has no photo"
    if any(r.area_id not in areas for r in got.recipes):
        return "a recipe has no area"
    try:
        if got.kit is None:
            shipped_kit(got.commission.kit_id)
        elif got.kit.id != got.commission.kit_id:
            return "the kit is another one"
    except Fault:
        return "the kit is not there"
    return ""


def read_bundle(path: Path) -> Contents:
    """What a bundle holds, without taking it in. Raises `StudioFault` that names the fault."""
    with _checked(path) as z:
        return _records(path, z)


def import_bundle(store: Store, path: Path, token: Token = SILENT) -> TakenIn:
    """Take a bundle into a studio in one transaction; where its commission is there already, a copy is made.

    Every photo is decoded before it counts. A kit that differs from the studio's comes in beside it. Raises `StudioFault`; then nothing
    was taken in and no photo is left behind.
    """
    fresh_files: list[Path] = []
    try:
        with _checked(path) as z, store.scratch() as folder:
            got = _records(path, z)
            for k, p in enumerate(got.pictures):
                token.report(0.9 * k / max(1, len(got.pictures)), f"Taking in {p.original_name}")
                if p.digest in got.missing and f"photos/{p.digest}{p.suffix}" not in z.namelist():
                    continue
                part = folder / f"{k}{p.suffix}"
                part.write_bytes(_photo_bytes(path, z, p))
                if not store.photo_path(p).exists():
                    fresh_files.append(store.photo_path(p))
                try:
                    size = store.take_in(part, token=Token(lambda _share, _words: token.check()), suffix=p.suffix, name=p.original_name)[2]
                except PhotoFault as fault:
                    if "disk" in fault.do:
                        raise
                    raise _fault(path, fault.what.rstrip(".")) from fault
                if size != (p.width_px, p.height_px):
                    raise _fault(path, f"{p.original_name} has another size than its record")
            token.report(0.95, "Storing")
            return _store(store, got)
    except (OSError, Fault, Cancelled) as error:
        for file in fresh_files:
            _forget(store, file)
        if isinstance(error, OSError):
            raise refused(store.folder, error) from error
        raise


def _photo_bytes(path: Path, z: zipfile.ZipFile, p: Photo | Shot) -> bytes:
    name = f"photos/{p.digest}{p.suffix}"
    data = _member(path, z, name)
    if hashlib.sha256(data).hexdigest() != p.digest:
        raise _fault(path, f"{name} is not the photo it says")
    return data


def _forget(store: Store, file: Path) -> None:
    """Remove the file of a refused photo, unless a record names it by now."""
    with contextlib.suppress(OSError, Fault):
        if not store.all(Photo, digest=file.stem) and not store.all(Shot, digest=file.stem):
            file.unlink(missing_ok=True)


def _store(store: Store, got: Contents) -> TakenIn:
    """The records in one transaction, under ids that nothing in this studio has."""
    remarks = []
    there = got.commission.id in store.keys(Commission)
    clash = any(
        q.id in store.keys(kind)
        for kind, group in ((Photo, got.photos), (Area, got.areas), (LogRow, got.log), (Shot, got.shots), (PhotoCheck, got.checks))
        for q in group
    )
    fresh = _fresh(got, f"{got.commission.name} (copy)" if there else got.commission.name) if there or clash else got
    if there:
        remarks.append(f"{got.commission.name} was in this studio already; this is a copy.")
    theirs = fresh.kit or kits.shipped_record(fresh.commission.kit_id)
    new_kit: list[StudioKit] = []
    if theirs is not None:
        kit, new = kits.joining(store, theirs, got.commission.name)
        fresh = replace(fresh, commission=replace(fresh.commission, kit_id=kit.id))
        if new:
            new_kit = [kit]
            if kit.id != theirs.id or kit.name != theirs.name:
                remarks.append(f"Its kit differs from yours and came in beside it as “{kit.name}”; your own kit is unchanged.")
    lost = [p.original_name for p in got.pictures if p.digest in got.missing and not store.holds(p)]
    if lost:
        remarks.append(f"The bundle lacks the file of {', '.join(lost)}; add the same file again and it goes into its place.")
    kept = {first_plan_key(fresh.commission.id): fresh.first_plan.as_data()} if fresh.first_plan is not None else {}
    store.edit([*new_kit, fresh.commission, *fresh.photos, *fresh.areas, *fresh.recipes, *fresh.log, *fresh.shots, *fresh.checks], settings=kept)
    return TakenIn(fresh.commission, tuple(remarks))


def _fresh(got: Contents, name: str) -> Contents:
    """The same with new ids, so that it stands beside what is there."""
    cid = new_id()
    photo: Mapping[str, str] = {p.id: new_id() for p in got.photos}
    area: Mapping[str, str] = {a.id: new_id() for a in got.areas}
    shot: Mapping[str, str] = {q.id: new_id() for q in got.shots}
    step = lambda key: ":".join(area.get(part, part) for part in key.split(":"))  # noqa: E731
    terms = replace(
        got.commission.terms,
        moved=tuple((step(a), step(b)) for a, b in got.commission.terms.moved),
        seams=tuple((step(a), step(b), edge, step(over), mm) for a, b, edge, over, mm in got.commission.terms.seams),
    )
    return Contents(
        replace(got.commission, id=cid, name=name, terms=terms), tuple(replace(p, id=photo[p.id], commission_id=cid) for p in got.photos),
        tuple( replace(a, id=area[a.id], commission_id=cid, photo_id=photo[a.photo_id], colour_photo_id=photo.get(a.colour_photo_id, ""), twin_id=area.get(a.twin_id, "")) for a in got.areas ),
        recipes=tuple(replace(r, area_id=area[r.area_id]) for r in got.recipes),
        log=tuple(replace(q, id=new_id(), commission_id=cid, area_id=area.get(q.area_id, ""), step=step(q.step)) for q in got.log), kit=got.kit,
        shots=tuple(replace(q, id=shot[q.id], commission_id=cid, step=step(q.step)) for q in got.shots), missing=got.missing,
        checks=tuple( replace(q, id=shot[q.id], commission_id=cid, told=_renamed(q.told, area), meant=tuple(_renamed(k, area) for k in q.meant)) for q in got.checks ),
        first_plan=None if got.first_plan is None else replace(got.first_plan, areas={area.get(k, k): v for k, v in got.first_plan.areas.items()}),
        pace=got.pace,
    )


def _renamed(text: str, names: Mapping[str, str]) -> str:
    """A text with the old ids in it replaced by the new ones; ids of areas are long enough to be nothing else."""
    for old, new in sorted(names.items(), key=lambda q: -len(q[0])):
        text = re.sub(rf"(?<![A-Za-z0-9_.+-]){re.escape(old)}(?![A-Za-z0-9_.+-])", new, text)
    return text
