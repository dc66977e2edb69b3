"""Reading picture files: upright, sRGB, eight bits, or a clear word why not."""

from __future__ import annotations

import io
import struct
import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms, ImageFile, ImageOps, UnidentifiedImageError
from PIL.TiffImagePlugin import TiffImageFile

from hanabira.core.faults import PhotoFault
from hanabira.core.token import SILENT, Token
from hanabira.studio.writing import write_file

MOST_PIXELS = 200_000_000
FORMATS = ("JPEG", "PNG", "TIFF", "WEBP", "HEIF")
SUFFIXES = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".heic", ".heif")
_registered = False


@dataclass(frozen=True)
class Picture:
    """A decoded picture: ``pixels`` (h, w, 3) uint8 sRGB, its full ``size`` (w, h), and remarks on what was done."""

    pixels: np.ndarray
    size: tuple[int, int]
    remarks: tuple[str, ...] = ()


def _register() -> None:
    """Teach Pillow HEIC once; it takes a moment to import."""
    global _registered
    if not _registered:
        import pillow_heif

        pillow_heif.register_heif_opener()
        _registered = True


def _open(path: Path) -> Image.Image:
    if not path.exists():
        raise PhotoFault(f"There is no file {path.name}.", do="Choose another file.")
    if path.is_dir():
        raise PhotoFault(f"{path.name} is a folder, not a picture.", do="Choose a picture file in it.")
    if path.suffix.lower() in (".heic", ".heif"):
        _register()
    try:
        with warnings.catch_warnings():
            # the limit is ours and is checked below
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            before, Image.MAX_IMAGE_PIXELS = Image.MAX_IMAGE_PIXELS, None
            try:
                image = Image.open(path)
            finally:
                Image.MAX_IMAGE_PIXELS = before
    except UnidentifiedImageError:
        if path.stat().st_size == 0:
            raise PhotoFault(f"{path.name} is empty.", do="Ask the client to send it again.") from None
        raise PhotoFault(f"{path.name} is not a picture that can be read.", do="JPEG, PNG, TIFF, WebP and HEIC can be.") from None
    except PermissionError:
        raise PhotoFault(f"{path.name} may not be read by this user.", do="Change its permissions or copy it.") from None
    except (OSError, ValueError, SyntaxError) as error:
        raise PhotoFault(f"{path.name} cannot be read: {error}.") from error
    if image.format not in (*FORMATS, "MPO"):
        raise PhotoFault(f"{path.name} is a {image.format} file.", do="JPEG, PNG, TIFF, WebP and HEIC can be read.")
    w, h = image.size
    if w * h > MOST_PIXELS:
        raise PhotoFault(f"{path.name} has {w * h / 1e6:.0f} megapixels; {MOST_PIXELS / 1e6:.0f} are the most.", do="Reduce it first.")
    return image


def probe(path: Path | str) -> tuple[int, int]:
    """Upright (width, height) of a picture file without decoding it; `PhotoFault` when it cannot be read."""
    with _open(Path(path)) as image:
        return _upright_size(image, Path(path))


def read_picture(path: Path | str, most_side: int | None = None, token: Token = SILENT) -> Picture:
    """Decode a picture file: first frame, EXIF turned upright, embedded profile to sRGB, transparency over white.

    ``most_side`` gives a quick smaller copy for a first view. Raises `PhotoFault` that names the
    file and the fault; a truncated file is refused, not shown with a grey half.
    """
    path = Path(path)
    remarks: list[str] = []
    token.report(0.05, f"Opening {path.name}")
    with _open(path) as image:
        size = _upright_size(image, path)
        if most_side:
            image.draft("RGB", (most_side, most_side))
        token.report(0.15, f"Reading {path.name}")
        sixteen = _sixteen_bit(image, path)
        if sixteen is not None:
            remarks.append("16 bits a channel reduced to 8")
            flat = sixteen
        else:
            flat = _load(image, path)
        token.report(0.6, "Converting to sRGB")
        if getattr(image, "n_frames", 1) > 1 and image.format != "MPO":
            remarks.append("the first of several frames")
        icc = image.info.get("icc_profile")
        if image.mode == "CMYK":
            remarks.append("CMYK converted to sRGB")
        try:
            flat = _to_srgb(flat, icc)
        except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
            remarks.append("its colour profile is damaged and was left out")
            flat = _to_srgb(flat, None)
        flat = ImageOps.exif_transpose(_with_exif(flat, image))
    if most_side and max(flat.size) > most_side:
        flat.thumbnail((most_side, most_side), Image.Resampling.BOX if max(flat.size) > 3 * most_side else Image.Resampling.HAMMING)
    token.report(0.95, "Ready")
    return Picture(_pixels(flat), size, tuple(remarks))


def _pixels(flat: Image.Image) -> np.ndarray:
    """The image as an array, strip by strip: one copy of the whole would keep the window waiting."""
    w, h = flat.size
    out = np.empty((h, w, 3), np.uint8)
    for y in range(0, h, 256):
        out[y : y + 256] = np.asarray(flat.crop((0, y, w, min(h, y + 256))), np.uint8)
    return out


def _upright_size(image: Image.Image, path: Path) -> tuple[int, int]:
    w, h = image.size
    try:
        turn = image.getexif().get(0x0112, 1)
    except (OSError, ValueError, SyntaxError, struct.error) as error:
        raise PhotoFault(f"{path.name} is damaged or cut short ({error}).", do="Ask the client to send it again.") from error
    return (h, w) if turn in (5, 6, 7, 8) else (w, h)


def _with_exif(flat: Image.Image, image: Image.Image) -> Image.Image:
    turn = image.getexif().get(0x0112)
    if turn:
        exif = Image.Exif()
        exif[0x0112] = turn
        flat.info = {"exif": exif.tobytes()}
    else:
        flat.info = {}
    return flat


def _load(image: Image.Image, path: Path) -> Image.Image:
    strict, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
    try:
        image.load()
    except (OSError, ValueError, SyntaxError, IndexError, EOFError, struct.error) as error:
        raise PhotoFault(f"{path.name} is damaged or cut short ({error}).", do="Ask the client to send it again.") from error
    except MemoryError as error:
        raise PhotoFault(f"{path.name} does not fit into memory.", do="Reduce it first.") from error
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = strict
    return image


def _sixteen_bit(image: Image.Image, path: Path) -> Image.Image | None:
    """16-bit greys and colours, which Pillow does not reduce by itself."""
    if image.mode.startswith("I;16") or image.mode == "I":
        _load(image, path)
        values = np.asarray(image).astype(np.uint32)
        top = 65535 if values.max(initial=0) > 255 else 255
        return Image.fromarray((values * 255 // top).astype(np.uint8))
    if image.mode == "F":
        raise PhotoFault(f"{path.name} holds measurements, not a picture (floating-point values).")
    if isinstance(image, TiffImageFile):
        bits = image.tag_v2.get(258, (8,))
        if max(bits if isinstance(bits, tuple) else (bits,)) > 8:
            import tifffile

            try:
                values = tifffile.imread(io.BytesIO(path.read_bytes()))
            except Exception as error:  # the library raises many kinds for a damaged file
                raise PhotoFault(f"{path.name} is damaged or cut short ({error}).") from error
            if values.dtype == np.uint16 and values.ndim == 3 and values.shape[2] >= 3:
                return Image.fromarray((values[..., :3] // 257).astype(np.uint8))
    return None


def _to_srgb(image: Image.Image, icc: bytes | None) -> Image.Image:
    if image.mode == "P":
        image = image.convert("RGBA" if "transparency" in image.info else "RGB")
    if image.mode in ("LA", "PA", "La"):
        image = image.convert("RGBA")
    if image.mode in ("RGBA", "RGBa"):
        image = image.convert("RGBA")
        ground = Image.new("RGBA", image.size, (255, 255, 255, 255))
        image = Image.alpha_composite(ground, image).convert("RGB")
    if icc and image.mode in ("RGB", "L", "CMYK"):
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        space = profile.profile.xcolor_space.strip()
        if {"RGB": "RGB", "L": "GRAY", "CMYK": "CMYK"}[image.mode] == space and "srgb" not in (
            ImageCms.getProfileDescription(profile) or ""
        ).lower():
            converted = ImageCms.profileToProfile(image, profile, ImageCms.createProfile("sRGB"), outputMode="RGB")
            if converted is not None:
                return converted
    return image.convert("RGB") if image.mode != "RGB" else image.copy()


def write_picture(target: Path, pixels: np.ndarray) -> None:
    """Write (h, w, 3) or, with coverage, (h, w, 4) uint8 as PNG, JPEG, TIFF or WebP; aside first, then renamed.

    Raises `PhotoFault` for an unknown ending and for transparency in a JPEG, `Fault` when the disk refuses.
    """
    kind = {".png": "PNG", ".jpg": "JPEG", ".jpeg": "JPEG", ".tif": "TIFF", ".tiff": "TIFF", ".webp": "WEBP"}.get(target.suffix.lower())
    if kind is None:
        raise PhotoFault(f"{target.name} has no ending of a picture.", do="Use .png, .jpg, .tif or .webp.")
    if kind == "JPEG" and pixels.shape[2] == 4:
        raise PhotoFault("A JPEG cannot hold transparency.", do="Use .png, or give a backdrop.")
    buffer = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels)).save(buffer, kind, **({"quality": 95} if kind in ("JPEG", "WEBP") else {}))
    write_file(target, buffer.getvalue())
