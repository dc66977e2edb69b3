"""Put the application's entry, metadata, bundle type and icons into a prefix, and take exactly those away again.

``python -m hanabira.desktop.install PREFIX`` and ``… PREFIX --remove``; `make install` and `make uninstall` call it. What was written stands in
``PREFIX/share/hanabira/installed``, so that nothing else is ever removed.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

HERE = Path(__file__).parent
ID = "org.hanabira.Hanabira"
SIZES = (16, 22, 24, 32, 48, 64, 96, 128, 256, 512)
"""Sides of the icons in pixels."""
LIST = Path("share") / "hanabira" / "installed"
REFRESH = (
    ("update-desktop-database", "share/applications"),
    ("update-mime-database", "share/mime"),
    ("gtk-update-icon-cache", "share/icons/hicolor"),
)
"""Programs that tell a running desktop of what is new, each with the folder it reads; those that are missing are left out."""


def icons() -> dict[int, bytes]:
    """The icon at every size, as PNG."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, Qt
    from PyQt6.QtGui import QGuiApplication, QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    app = QGuiApplication.instance() or QGuiApplication(sys.argv[:1])
    picture, out = QSvgRenderer(str(HERE / f"{ID}.svg")), {}
    for side in SIZES:
        image = QImage(side, side, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        p = QPainter(image)
        picture.render(p)
        p.end()
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")
        buffer.close()
        out[side] = bytes(data.data())
    assert app is not None
    return out


def files(command: Path) -> dict[Path, bytes]:
    """Everything that is written, by its place under the prefix. ``command`` is what the entry starts."""
    entry = (HERE / f"{ID}.desktop").read_text("utf-8").replace("@EXEC@", _quoted(command))
    out = {
        Path("share/applications") / f"{ID}.desktop": entry.encode(),
        Path("share/metainfo") / f"{ID}.metainfo.xml": (HERE / f"{ID}.metainfo.xml").read_bytes(),
        Path("share/mime/packages") / f"{ID}.xml": (HERE / f"{ID}.xml").read_bytes(),
        Path("share/icons/hicolor/scalable/apps") / f"{ID}.svg": (HERE / f"{ID}.svg").read_bytes(),
    }
    for side, data in icons().items():
        out[Path("share/icons/hicolor") / f"{side}x{side}" / "apps" / f"{ID}.png"] = data
    return out


def _quoted(command: Path) -> str:
    """A path as an entry wants it: quoted where it has characters of its own meaning."""
    words = str(command).replace("%", "%%")
    if any(c in words for c in " \t\"'\\><~|&;$*?#()`"):
        for c in ("\\", '"', "`", "$"):
            words = words.replace(c, f"\\{c}")
        return f'"{words}"'
    return words


def install(prefix: Path, command: Path) -> list[Path]:
    """Write everything and remember it; the paths that were written."""
    written = []
    for place, data in files(command).items():
        path = prefix / place
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        written.append(path)
    link = prefix / "bin" / "hanabira"
    if command.resolve() != link.resolve() or link.is_symlink():
        link.parent.mkdir(parents=True, exist_ok=True)
        link.unlink(missing_ok=True)
        link.symlink_to(command)
        written.append(link)
    listed = prefix / LIST
    listed.parent.mkdir(parents=True, exist_ok=True)
    listed.write_text("\n".join(str(p.relative_to(prefix)) for p in written) + "\n", "utf-8")
    _refresh(prefix)
    return written


def remove(prefix: Path) -> list[Path]:
    """Take away what `install` wrote, and folders that are empty then; the studio is never touched. The paths that went."""
    listed = prefix / LIST
    if not listed.exists():
        return []
    gone = []
    for line in listed.read_text("utf-8").splitlines():
        path = prefix / line
        if path.is_symlink() or path.is_file():
            path.unlink()
            gone.append(path)
            _prune(path.parent, prefix)
    listed.unlink()
    _prune(listed.parent, prefix)
    _refresh(prefix)
    return gone


def _prune(folder: Path, prefix: Path) -> None:
    while folder != prefix and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _refresh(prefix: Path) -> None:
    for program, folder in REFRESH:
        if shutil.which(program) and (prefix / folder).is_dir():
            subprocess.run([program, str(prefix / folder)], check=False, capture_output=True)


def main(argv: Sequence[str] | None = None) -> int:
    """Install or remove, and say what was done."""
    p = argparse.ArgumentParser(prog="hanabira.desktop.install", description=__doc__.split("\n")[0] if __doc__ else "")
    p.add_argument("prefix", type=Path)
    p.add_argument("--command", type=Path, help="the program that the entry starts; beside this interpreter when left out")
    p.add_argument("--remove", action="store_true")
    args = p.parse_args(argv)
    prefix = args.prefix.expanduser().absolute()
    if args.remove:
        gone = remove(prefix)
        print(f"{len(gone)} files removed from {prefix}. Your studio is where it was." if gone else f"Nothing was installed in {prefix}.")
    else:
        done = install(prefix, (args.command or Path(sys.executable).parent / "hanabira").absolute())
        print(f"{len(done)} files written under {prefix}.")
    return 0


if __name__ == "__main__":
    sys.exit(main())
