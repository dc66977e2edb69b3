"""The artist's own techniques as open TOML files: written from a recipe, read back, and laid with another kit."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.tools import LAYINGS, TOOLS
from hanabira.core.solver.area import Targets, swaps
from hanabira.core.solver.layer import ROLES, WHERE, Layer
from hanabira.core.solver.place_words import places_in_words
from hanabira.craft.gesture_names import told_gestures

MOST_BYTES = 400_000
_FIELDS: Mapping[str, type | tuple[type, ...]] = {
    "role": str, "tool": str, "pencil": str, "pressure": int, "passes": int, "stroke": str, "length_mm": (int, float), "where": str, "why": str, "places": list, "gesture": str,
    "coverage": (int, float), "laid": str,
}  # fmt: skip


@dataclass(frozen=True)
class Technique:
    """A named set of layers; pencils are codes of the kit it was written with, empty for a tool."""

    name: str
    surface_id: str
    layers: tuple[Layer, ...]


def as_technique(layers: Sequence[Layer], name: str, surface_id: str) -> str:
    """A recipe as TOML: roles, tools, pencils, pressures, strokes and places."""
    q = lambda v: json.dumps(v, ensure_ascii=False)  # noqa: E731 - TOML's basic strings are those of JSON
    lines = [f"name = {q(name)}", f"surface = {q(surface_id)}", ""]
    for layer in layers:
        lines += [
            "[[layer]]", f"role = {q(layer.role)}", f"tool = {q(layer.tool)}", f"pencil = {q(layer.code)}", f"pressure = {layer.pressure}",
            f"passes = {layer.passes}", f"stroke = {q(layer.stroke)}", f"length_mm = {layer.stroke_mm}", f"where = {q(layer.where)}",
            f"why = {q(layer.why)}", *([f"gesture = {q(layer.gesture)}"] if layer.gesture else []),
            *([f"coverage = {layer.coverage}"] if layer.coverage < 1 else []), *([f"laid = {q(layer.laid)}"] if layer.laid else []),
            *([f"places = [{', '.join(map(q, layer.on))}]"] if layer.on else []), "",
        ]  # fmt: skip
    return "\n".join(lines)


def read_technique(path: Path) -> Technique:
    """The technique of a file. Raises `RecipeFault` that names the file and the fault; nothing half-read is returned."""

    def fault(words: str) -> RecipeFault:
        return RecipeFault(f"{path.name} is no technique: {words}.", "Nothing was changed.", "See docs/formats.md for how one is written.")

    try:
        if path.stat().st_size > MOST_BYTES:
            raise fault("it is too large")
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise RecipeFault(f"{path.name} could not be read: {error.strerror or error}.", "Nothing was changed.") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise fault(f"it cannot be read as TOML ({error})") from error
    steps = raw.get("layer")
    if not isinstance(steps, list) or not steps or len(steps) > 40:
        raise fault("it needs 1 to 40 [[layer]] entries")
    layers = []
    for n, step in enumerate(steps, 1):
        if not isinstance(step, dict):
            raise fault(f"layer {n} is no table")
        for key, kind in _FIELDS.items():
            if key in step and (not isinstance(step[key], kind) or isinstance(step[key], bool)):
                raise fault(f"{key} of layer {n} has the wrong kind of value")
        tool = step.get("tool", "")
        if tool and tool not in TOOLS:
            raise fault(f"layer {n} has the unknown tool “{tool}”")
        if step.get("role", "general") not in ROLES:
            raise fault(f"layer {n} has the unknown role “{step['role']}”")
        if step.get("gesture", "") not in ("", *told_gestures()):
            raise fault(f"layer {n} has the unknown gesture “{step['gesture']}”")
        if step.get("laid", "") not in ("", *LAYINGS):
            raise fault(f"layer {n} has the unknown way “{step['laid']}” to bring colour on")
        if not 0 <= step.get("length_mm", 0) <= 2000:  # also false for what is no number
            raise fault(f"length_mm of layer {n} lies outside 0–2000")
        on = step.get("places", [])
        if len(on) > 40 or not all(isinstance(k, str) and 0 < len(k) < 80 for k in on):
            raise fault(f"places of layer {n} are no names")
        if not on and step.get("where", "everywhere") not in WHERE:
            raise fault(f"layer {n} goes “{step.get('where')}”, which is no place")
        if not tool and not step.get("pencil"):
            raise fault(f"layer {n} has neither a pencil nor a tool")
        try:
            layers.append(
                Layer(
                    step.get("role", "general"), "" if tool else step["pencil"], step.get("pressure", 2), passes=step.get("passes", 1),
                    where=step.get("where", "everywhere"), stroke=step.get("stroke", "flick"), stroke_mm=float(step.get("length_mm", 0.0)),
                    tool=tool, why=step.get("why", ""), on=tuple(on), gesture=step.get("gesture", ""),
                    coverage=float(step.get("coverage", 1.0)), laid=step.get("laid", ""),
                )  # fmt: skip
            )
        except RecipeFault as error:
            raise fault(f"layer {n}: {error}") from error
    return Technique(str(raw.get("name", path.stem)), str(raw.get("surface", "short-fur")), tuple(layers))


def laid(technique: Technique, kit: Kit, paper: Paper, targets: Mapping[str, Array]) -> tuple[tuple[Layer, ...], tuple[str, ...]]:
    """The technique's layers with this kit, and the codes it lacked: each of those gives way to the pencil that serves best in its place."""
    steps = placed(technique.layers, targets)
    known = [q for q in steps if q.tool or q.code in kit.index]
    missing = tuple(dict.fromkeys(q.code for q in steps if q.code and q.code not in kit.index))
    if not missing:
        return steps, ()
    first = next((q.code for q in known if q.code), kit.pencils[0].code)
    layers = [replace(q, code=first) if q.code and q.code not in kit.index else q for q in steps]
    for k, q in enumerate(steps):
        if q.code in missing:
            ranked = swaps(paper, kit, layers, k, targets, most=2)
            best = min(ranked, key=lambda s: s.delta_e00)
            layers[k] = replace(layers[k], code=best.code)
    return tuple(layers), missing


def placed(layers: Sequence[Layer], targets: Mapping[str, Array]) -> tuple[Layer, ...]:
    """Layers on the places of another area: those of its places that they name; a layer that finds none of its own there is left out.

    Layers by values go on the places that stand for their bands; an area that is planned by values takes layers by values only.
    """
    if not isinstance(targets, Targets):
        return tuple(q for q in layers if not q.on)
    names = {k: targets.name(k) for k in targets}
    out = []
    for q in layers:
        wanted = q.on or tuple(targets.aliases.get(b, b) for b in WHERE[q.where])
        on = tuple(dict.fromkeys(k for k in wanted if k in names))
        if on:
            out.append(replace(q, on=on, where=places_in_words(on, names)))
    return tuple(out)
