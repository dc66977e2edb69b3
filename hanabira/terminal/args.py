"""What the terminal's commands share: kits, papers and numbers as they are written on the command line."""

from __future__ import annotations

import argparse
import math
import re
from collections.abc import Callable
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.optics.paper import Paper

Add = Callable[[str, Callable[[argparse.Namespace], dict | None], str], argparse.ArgumentParser]
"""Declares a command: its name, what runs it and what it does in words."""


def kit_of(source: str | None) -> Kit:
    """The kit of a file or of a shipped name; the pencils when none is named."""
    from hanabira.craft.kitfile import read_kit
    from hanabira.craft.supplies import KITS, shipped_kit

    if source is None:
        return shipped_kit()
    return shipped_kit(source) if source in KITS else read_kit(source)


def paper_of(args: argparse.Namespace, kit: Kit) -> Paper:
    """The paper asked for, as the kit's swatches have it when it was fitted."""
    from hanabira.core.colour.spaces import parse_hex
    from hanabira.craft.supplies import paper, paper_for

    if args.ground:
        parse_hex(args.ground)
    return paper_for(kit, paper(args.paper), args.ground)


def numbers(text: str, count: int, what: str) -> list[float]:
    """So many finite numbers of a text, or a `Fault` that says what was expected."""
    parts = re.split(r"[,\s]+", text.strip())
    try:
        values = [float(p) for p in parts]
    except ValueError:
        values = []
    if len(values) != count or not all(map(math.isfinite, values)):
        raise Fault(f"“{text}” is not {what}.")
    return values


def millimetres_a_pixel(text: str) -> float:
    """Millimetres a pixel, as written on the command line."""
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not 0 < value < 1000:
        raise Fault(f"--mm-per-px {text} must be a number above 0 and below 1000.")
    return value
