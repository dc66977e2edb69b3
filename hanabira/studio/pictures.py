"""Reading picture files: upright, sRGB, eight bits, or a clear word why not."""

from __future__ import annotations

import datetime
import io
import logging
import os
import stat
import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms, ImageFile, ImageOps, UnidentifiedImageError
from PIL.TiffImagePlugin import TiffImageFile

from hanabira.core.faults import PhotoFault
from hanabira.core.token import SILENT, Token
from hanabira.studio.picture_kinds import FORMATS, KINDS, SUFFIX_OF
from hanabira.studio.writing import write_file

MOST_PIXELS = 200_000_000
MOST_SIDE, LEAST_SIDE = 65_535, 8
"""Pixels of a side: more than JPEG can have is no photo, fewer show nothing."""
THERE = 128
"""A pixel is more there than not from this on; a picture that is so everywhere has no clear ground."""
_OTHERS = ((b"GIF8", "a GIF file"), (b"BM", "a BMP file"), (b"8BPS", "a file of layers"), (b"%PDF", "a PDF file"), (b"<svg", "an SVG file"))
_STRIP = 256
_registered = False


@dataclass(frozen=True)
class Picture:
    """A decoded picture: ``pixels`` (h, w, 3) uint8 sRGB, its full ``size`` (w, h), and remarks on what was done.

    ``alpha`` (h, w) uint8 says how much of each pixel is there at all; None where all of it is. What is not there lies over white.
    """

    pixels: np.ndarray
    size: tuple[int, int]
    remarks: tuple[str, ...] = ()
    alpha: np.ndarray | None = None


def _register() -> None:
    """Teach Pillow HEIC once; it takes a moment to import."""
    global _registered
    if not _registered:
        import pillow_heif

        pillow_heif.register_heif_opener()
        _registered = True


def _refuse_odd_files(path: Path, name: str) -> None:
    """Only regular files are opened: a pipe or a device would never end."""
    try:
        kind = os.stat(path)
    except FileNotFoundError:
        raise PhotoFault(f"There is no file {name}.", do="Choose another file.") from None
    except (OSError, ValueError) as error:
        raise PhotoFault(f"{name} cannot be read: {getattr(error, 'strerror', None) or error}.") from error
    if stat.S_ISDIR(kind.st_mode):
        raise PhotoFault(f"{name} is a folder, not a picture.", do="Choose a picture file in it.")
    if not stat.S_ISREG(kind.st_mode):
        raise PhotoFault(f"{name} is no file but a pipe or a device.", do="Choose a picture file.")
    if kind.st_size == 0:
        raise PhotoFault(f"{name} is empty.", do="Ask the client to send it again.")


def _open(path: Path, name: str) -> Image.Image:
    _refuse_odd_files(path, name)
    try:
        with open(path, "rb") as f:
            head = f.read(12)
        if head[4:8] == b"ftyp":
            _register()
        with warnings.catch_warnings():
            # the limit is ours and is checked below
            warnings.simplefilter("ignore")
            before, Image.MAX_IMAGE_PIXELS = Image.MAX_IMAGE_PIXELS, None
            try:
                image = Image.open(path, formats=[f for f in FORMATS if f != "HEIF" or _registered])
            finally:
                Image.MAX_IMAGE_PIXELS = before
    except UnidentifiedImageError:
        tiff = head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
        if tiff:
            raise PhotoFault(f"{name} is a TIFF of a kind that is no photo, or damaged.", do=_TIFF_CURE) from None
        other = next((kind for start, kind in _OTHERS if head.startswith(start)), "")
        raise PhotoFault(f"{name} is {other or 'not a picture that can be read'}.", do=KINDS) from None
    except PermissionError:
        raise PhotoFault(f"{name} may not be read by this user.", do="Change its permissions or copy it.") from None
    except Exception as error:  # the decoders raise many kinds for a damaged head
        raise _damaged(name, error) from error
    w, h = image.size
    words = ""
    if w * h > MOST_PIXELS:
        words = f"{name} has {w * h / 1e6:.0f} megapixels; {MOST_PIXELS / 1e6:.0f} are the most."
    elif max(w, h) > MOST_SIDE or min(w, h) < LEAST_SIDE:
        words = f"{name} has {w} × {h} pixels; a side has {LEAST_SIDE} to {MOST_SIDE}."
    if words:
        image.close()
        raise PhotoFault(words, do="Reduce it first." if max(w, h) > MOST_SIDE or w * h > MOST_PIXELS else "Choose a larger picture.")
    return image


def _damaged(name: str, error: BaseException) -> PhotoFault:
    if isinstance(error, MemoryError):
        return PhotoFault(f"{name} does not fit into memory.", do="Reduce it first.")
    return PhotoFault(f"{name} is damaged or cut short ({' '.join(str(error).split())[:120]}).", do="Ask the client to send it again.")


def probe(path: Path | str) -> tuple[int, int]:
    """Upright (width, height) of a picture file without decoding it; `PhotoFault` when it cannot be read."""
    with _open(Path(path), Path(path).name) as image:
        return _upright_size(image, Path(path).name)


def suffix_of(path: Path | str) -> str:
    """The ending that fits a picture file's bytes."""
    with _open(Path(path), Path(path).name) as image:
        return SUFFIX_OF[str(image.format)]


def is_whole(path: Path | str) -> bool:
    """Whether a file that somebody may still be writing is a picture from its first byte to its last.

    All frames are decoded, and what marks the end of its kind must be there: a pause may fall just before it.
    """
    path = Path(path)
    try:
        with _open(path, path.name) as image:
            kind = image.format
            for n in range(_frames(image) if kind == "MPO" else 1):
                image.seek(n)
                _load(image, path.name)
        read_picture(path)
        data = path.read_bytes()
    except (PhotoFault, OSError, EOFError):
        return False
    if kind in ("JPEG", "MPO"):
        # inside a scan the end mark cannot occur, but a small picture in the head has one of its own
        return data.rfind(b"\xff\xd9") > data.rfind(b"\xff\xda")
    if kind == "PNG":
        return data.rfind(b"IEND") > 0
    if kind == "WEBP":
        return len(data) >= 8 + int.from_bytes(data[4:8], "little")
    return True


def read_picture(path: Path | str, most_side: int | None = None, token: Token = SILENT, name: str = "") -> Picture:
    """Decode a picture file: first frame, turned upright, embedded profile to sRGB, transparency over white.

    ``most_side`` gives a quick smaller copy for a first view. Raises `PhotoFault` that names the file (as ``name``
    where one is given) and the fault; a truncated file is refused, not shown with a grey half.
    """
    path = Path(path)
    name = name or path.name
    remarks: list[str] = []
    token.report(0.05, f"Opening {name}")
    with _open(path, name) as image:
        size = _upright_size(image, name)
        if most_side:
            image.draft("RGB", (most_side, most_side))
        token.report(0.15, f"Reading {name}")
        decoded = _deep(image, path, name)
        if decoded is not None:
            flat, deep = decoded
            remarks += ["16 bits a channel reduced to 8"] if deep else []
        else:
            flat = _load(image, name)
        token.report(0.6, "Converting to sRGB")
        if image.format != "MPO" and _frames(image) > 1:
            remarks.append("the first of several frames")
        icc = image.info.get("icc_profile")
        if flat.mode == "CMYK":
            remarks.append("CMYK converted to sRGB")
        clear = _clear(flat)
        try:
            flat = _to_srgb(flat, icc)
        except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
            remarks.append("its colour profile is damaged and was left out")
            flat = _to_srgb(flat, None)
        layers = [ImageOps.exif_transpose(_with_exif(q, image)) for q in (flat, clear) if q is not None]
    for q in layers:
        if most_side and max(q.size) > most_side:
            q.thumbnail((most_side, most_side), Image.Resampling.BOX if max(q.size) > 3 * most_side else Image.Resampling.HAMMING)
    token.report(0.95, "Ready")
    return Picture(_pixels(layers[0]), size, tuple(remarks), np.asarray(layers[1], np.uint8) if clear is not None else None)


def _clear(image: Image.Image) -> Image.Image | None:
    """How much of each pixel is there, as a grey image; None where the picture is there everywhere, or nowhere at all."""
    if image.mode == "P" and "transparency" in image.info:
        image = image.convert("RGBA")
    if image.mode not in ("RGBA", "RGBa", "LA", "La", "PA"):
        return None
    alpha = image.convert("RGBA").getchannel("A")
    counts = np.array(alpha.histogram())
    return alpha if counts[:THERE].any() and counts[THERE:].any() else None


def _pixels(flat: Image.Image) -> np.ndarray:
    """The image as an array, strip by strip: one copy of the whole would keep the window waiting."""
    w, h = flat.size
    out = np.empty((h, w, 3), np.uint8)
    for y in range(0, h, 256):
        out[y : y + 256] = np.asarray(flat.crop((0, y, w, min(h, y + 256))), np.uint8)
    return out


def _frames(image: Image.Image) -> int:
    """How many pictures a file holds; 1 where what follows the first is damaged."""
    try:
        return int(getattr(image, "n_frames", 1))
    except Exception:  # only the first is used: damage behind it costs nothing
        return 1


def _upright_size(image: Image.Image, name: str) -> tuple[int, int]:
    w, h = image.size
    turn = _turn(image, name)
    # the library gives the size of a TIFF upright already, though not yet its pixels
    return (h, w) if turn in (5, 6, 7, 8) and not isinstance(image, TiffImageFile) else (w, h)


def _turn(image: Image.Image, name: str) -> int:
    try:
        turn = image.getexif().get(0x0112, 1)
    except Exception as error:  # a damaged EXIF block raises whatever its bytes lead to
        raise _damaged(name, error) from error
    return turn if isinstance(turn, int) else 1


def taken_at(path: Path | str) -> datetime.datetime | None:
    """When the camera says that a picture was taken, local time; None where it does not say, or says nonsense."""
    try:
        with Image.open(path) as image:
            exif = image.getexif()
            said = exif.get_ifd(0x8769).get(0x9003) or exif.get_ifd(0x8769).get(0x9004) or exif.get(0x0132)
        return datetime.datetime.strptime(str(said).strip("\0 ")[:19], "%Y:%m:%d %H:%M:%S")
    except Exception:  # a damaged EXIF block raises whatever its bytes lead to; then the camera has said nothing
        return None


def _with_exif(flat: Image.Image, image: Image.Image) -> Image.Image:
    turn = _turn(image, "")
    flat.info = {}
    if turn in range(2, 9):
        exif = Image.Exif()
        exif[0x0112] = turn
        flat.info = {"exif": exif.tobytes()}
    return flat


def _load(image: Image.Image, name: str) -> Image.Image:
    strict, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of metadata that we do not read
            image.load()
    except Exception as error:  # the decoders raise many kinds for damaged data
        raise _damaged(name, error) from error
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = strict
    return image


_QUIET = logging.NullHandler()
_PACKED = (5, 8, 32773, 32946, 34925, 50000)
"""LZW, deflate, PackBits, LZMA, Zstandard."""
_TIFF_CURE = "Write it again as an RGB TIFF with 8 or 16 bits a channel, or as PNG."


def _deep(image: Image.Image, path: Path, name: str) -> tuple[Image.Image, bool] | None:
    """What Pillow does not read well by itself, and whether it had more than 8 bits a channel; None for all others.

    Those are deep greys and colours, and packed TIFFs, of whose faults its decoder speaks past us on the terminal.
    """
    if image.mode == "F":
        raise PhotoFault(f"{name} holds measurements, not a picture (floating-point values).", do=_TIFF_CURE)
    if isinstance(image, TiffImageFile):
        bits, tags = image.tag_v2.get(258, (8,)), image.tag_v2
        try:
            deep = max(int(b) for b in (bits if isinstance(bits, tuple) else (bits,))) > 8
            plain = (
                int(tags.get(262, 1)) in (1, 2, 5)
                and 338 not in tags
                and min(int(b) for b in (bits if isinstance(bits, tuple) else (bits,))) == 8
            )
            packed = plain and int(tags.get(259, 1)) in _PACKED
        except (TypeError, ValueError) as error:
            raise _damaged(name, error) from error
        return (_deep_tiff(path, name), deep) if deep or packed else None
    if image.mode.startswith("I;16") or image.mode == "I":
        _load(image, name)
        values = np.asarray(image)
        return Image.fromarray(_eight(values, 65535 if values.max(initial=0) > 255 else 255)), True
    return None


def _eight(values: np.ndarray, top: int) -> np.ndarray:
    """Whole numbers up to ``top`` as 0–255, strip by strip: a large photo is not copied at four times its size."""
    if values.dtype == np.uint8 and top == 255:
        return np.ascontiguousarray(values)
    out = np.empty(values.shape, np.uint8)
    for y in range(0, len(values), _STRIP):
        out[y : y + _STRIP] = np.minimum(values[y : y + _STRIP].astype(np.int64) * 255 // top, 255)
    return out


def _deep_tiff(path: Path, name: str) -> Image.Image:
    """The first page of a TIFF with more than 8 bits: grey, RGB or CMYK, in planes or not, with or without transparency."""
    import tifffile

    tifffile.logger().addHandler(_QUIET)
    tifffile.logger().propagate = False  # what matters of a damaged file is said in our own words
    try:
        with tifffile.TiffFile(path) as file:
            page = file.pages.first
            photometric = int(page.photometric)
            samples = page.samplesperpixel
            if page.imagelength * page.imagewidth > MOST_PIXELS or samples > 8:
                raise PhotoFault(f"{name} is larger than it says at its head.", do=_TIFF_CURE)
            values = np.asarray(page.asarray())
            planes = page.planarconfig == 2 and samples > 1
            top = 2 ** int(page.bitspersample) - 1
            shape = (page.imagelength, page.imagewidth)
    except PhotoFault:
        raise
    except Exception as error:  # the library and its codecs raise many kinds for a damaged file
        raise _damaged(name, error) from error
    if (
        values.dtype.kind != "u"
        or photometric not in (0, 1, 2, 5)
        or (photometric == 2 and samples < 3)
        or (photometric == 5 and samples < 4)
    ):
        raise PhotoFault(f"{name} is a TIFF of a kind that is no photo.", do=_TIFF_CURE)
    if planes:
        values = np.moveaxis(values, 0, -1)
    values = values.reshape(*shape, -1)
    if values.shape[2] != samples:
        raise PhotoFault(f"{name} is a TIFF whose parts do not fit together.", do=_TIFF_CURE)
    if photometric == 5:
        return Image.fromarray(_eight(values[..., :4], top), "CMYK")
    if photometric in (0, 1):
        grey = _eight(values[..., 0], top)
        return Image.fromarray(255 - grey if photometric == 0 else grey)
    return Image.fromarray(_eight(values[..., : 4 if samples > 3 else 3], top))


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
