"""Layered pictures in the open OpenRaster format: a ZIP of PNG layers with a stack in XML.

The baseline of the format: an uncompressed ``mimetype`` first, ``stack.xml``, ``data/``, ``mergedimage.png`` and a thumbnail.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from hanabira.core.token import SILENT, Token
from hanabira.studio.writing import write_file

MIMETYPE = "image/openraster"


@dataclass(frozen=True)
class RasterLayer:
    """One layer: its name, its pixels (h, w, 3) or (h, w, 4) uint8, whether it is shown and how opaque it is (0–1)."""

    name: str
    pixels: np.ndarray
    visible: bool = True
    opacity: float = 1.0


def _png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels)).save(out, "PNG", compress_level=4)
    return out.getvalue()


def write_openraster(target: Path, layers: Sequence[RasterLayer], token: Token = SILENT) -> Path:
    """Write layers, the topmost first, all of one size. Raises `Fault` when the file cannot be written."""
    h, w = layers[0].pixels.shape[:2]
    if any(q.pixels.shape[:2] != (h, w) for q in layers):
        raise ValueError("all layers must have one size")
    root = ElementTree.Element("image", {"version": "0.0.3", "w": str(w), "h": str(h)})
    stack = ElementTree.SubElement(root, "stack")
    merged = Image.new("RGBA", (w, h), (255, 255, 255, 255))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr(zipfile.ZipInfo("mimetype"), MIMETYPE, zipfile.ZIP_STORED)
        for k, q in enumerate(layers):
            token.report(k / len(layers), f"Writing {q.name}")
            source = f"data/layer{k}.png"
            z.writestr(source, _png(q.pixels))
            ElementTree.SubElement(
                stack, "layer",
                {"name": q.name, "src": source, "x": "0", "y": "0", "opacity": f"{q.opacity:.3f}", "visibility": "visible" if q.visible else "hidden"},
            )  # fmt: skip
        for q in reversed(layers):
            if q.visible:
                image = Image.fromarray(np.ascontiguousarray(q.pixels)).convert("RGBA")
                if q.opacity < 1:
                    image.putalpha(image.getchannel("A").point(lambda v, o=q.opacity: round(v * o)))
                merged.alpha_composite(image)
        z.writestr("mergedimage.png", _png(np.asarray(merged.convert("RGB"))))
        small = merged.convert("RGB")
        small.thumbnail((256, 256))
        z.writestr("Thumbnails/thumbnail.png", _png(np.asarray(small)))
        z.writestr("stack.xml", '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode"))
    return write_file(target, out.getvalue())
