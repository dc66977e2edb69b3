"""Kinds of picture files that can be read."""

FORMATS = ("JPEG", "PNG", "TIFF", "WEBP", "HEIF")
KINDS = "JPEG, PNG, TIFF, WebP and HEIC can be read."
SUFFIX_OF = {"JPEG": ".jpg", "MPO": ".jpg", "PNG": ".png", "TIFF": ".tif", "WEBP": ".webp", "HEIF": ".heic"}
"""The ending that a stored file gets: by its bytes, whatever it was called."""
SUFFIXES = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".heic", ".heif")
