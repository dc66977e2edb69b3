"""One colour at a time, in plain numbers: what a window paints before anything is computed, and faster than arrays of one.

The same conversion as `spaces`, under D65 and the 2° observer. Sources: IEC 61966-2-1 (sRGB), CIE 15:2018 (CIELAB).
"""

from __future__ import annotations

D65 = (0.95047, 1.0, 1.08883)
"""XYZ of the white with Y = 1."""
RGB_XYZ = ((0.4124564, 0.3575761, 0.1804375), (0.2126729, 0.7151522, 0.0721750), (0.0193339, 0.1191920, 0.9503041))
"""XYZ of linear sRGB, row by row."""
_EPSILON, _KAPPA = 216 / 24389, 24389 / 27


def _inverse(m: tuple[tuple[float, ...], ...]) -> tuple[tuple[float, ...], ...]:
    (a, b, c), (d, e, f), (g, h, i) = m
    det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
    return (
        ((e * i - f * h) / det, (c * h - b * i) / det, (b * f - c * e) / det),
        ((f * g - d * i) / det, (a * i - c * g) / det, (c * d - a * f) / det),
        ((d * h - e * g) / det, (b * g - a * h) / det, (a * e - b * d) / det),
    )


_XYZ_RGB = _inverse(RGB_XYZ)


def lab_to_srgb8(lightness: float, a: float, b: float) -> tuple[int, int, int]:
    """Encoded sRGB, 0–255, of a CIELAB colour, clipped to the gamut.

    >>> lab_to_srgb8(100, 0, 0), lab_to_srgb8(53.24, 80.09, 67.2)
    ((255, 255, 255), (255, 0, 0))
    """
    fy = (lightness + 16) / 116
    x, y, z = (
        w * (f**3 if f**3 > _EPSILON else (116 * f - 16) / _KAPPA) for w, f in zip(D65, (fy + a / 500, fy, fy - b / 200), strict=True)
    )
    out = []
    for row in _XYZ_RGB:
        v = min(1.0, max(0.0, row[0] * x + row[1] * y + row[2] * z))
        out.append(round(255 * (v * 12.92 if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055)))
    return out[0], out[1], out[2]
