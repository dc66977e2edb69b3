"""Put the application's entry, metadata, bundle type and icons into a prefix, and take exactly those away again.

``python -m hanabira.desktop.install PREFIX`` and ``… PREFIX --remove``; `make install` and `make uninstall` call it. What was written stands in
``PREFIX/share/hanabira/installed``, so that nothing else is ever removed. The programs that tell a running desktop write databases of their own
into the prefix; those that were not there before stand in the list as well, behind a ``+``, and go when nothing else is left that they speak of.
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
    ("update-desktop-database", "share/applications", "*.desktop"),
    ("update-mime-database", "share/mime", "packages/*.xml"),
    ("gtk-update-icon-cache", "share/icons/hicolor", "*/*/*.*"),
)
"""Programs that tell a running desktop of what is new, each with the folder it reads, and what its database is made from there; those that are
missing are left out."""
MADE = "+"
"""Before a line of the list: the file was made by one of these programs."""


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
    before = _databases(prefix)
    _refresh(prefix)
    made = {p for p in _databases(prefix) - before if p not in written} | {prefix / q for q in _listed(prefix)[1] if (prefix / q).is_file()}
    listed = prefix / LIST
    listed.parent.mkdir(parents=True, exist_ok=True)
    lines = [*(str(p.relative_to(prefix)) for p in written), *(MADE + str(p.relative_to(prefix)) for p in sorted(made))]
    listed.write_text("\n".join(lines) + "\n", "utf-8")
    return written


def remove(prefix: Path) -> list[Path]:
    """Take away what `install` wrote, and folders that are empty then; the studio is never touched. The paths that went."""
    written, made = _listed(prefix)
    gone = []
    for line in written:
        path = prefix / line
        if path.is_symlink() or path.is_file():
            path.unlink()
            gone.append(path)
    if written:
        # the folders are still there: a database is made anew without us only where its program finds them
        _refresh(prefix)
    for _program, folder, sources in REFRESH:
        if not any((prefix / folder).glob(sources)):
            for line in made:
                if line.startswith(f"{folder}/"):
                    (prefix / line).unlink(missing_ok=True)
    for line in (*written, *made):
        _prune((prefix / line).parent, prefix)
    if written:
        (prefix / LIST).unlink()
        _prune((prefix / LIST).parent, prefix)
    return gone


def _listed(prefix: Path) -> tuple[list[str], list[str]]:
    """What the list names: what was written, and what the programs made then."""
    path = prefix / LIST
    lines = path.read_text("utf-8").splitlines() if path.is_file() else []
    return [q for q in lines if not q.startswith(MADE)], [q.removeprefix(MADE) for q in lines if q.startswith(MADE)]


def _databases(prefix: Path) -> set[Path]:
    """Every file in the folders that the programs write into."""
    return {p for _program, folder, _sources in REFRESH for p in (prefix / folder).rglob("*") if p.is_file()}


def _prune(folder: Path, prefix: Path) -> None:
    while not folder.exists() and folder != prefix:
        folder = folder.parent
    while folder != prefix and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _refresh(prefix: Path) -> None:
    for program, folder, _sources in REFRESH:
        if shutil.which(program) and (prefix / folder).is_dir():
            subprocess.run([program, str(prefix / folder)], check=False, capture_output=True)


def how_to_start(prefix: Path, path: str | None = None) -> str:
    """How the installed program is started, in words: by its name only where ``path`` (the variable PATH) has its folder."""
    folder = prefix / "bin"
    known = {Path(q).expanduser() for q in (os.environ.get("PATH", "") if path is None else path).split(os.pathsep) if q}
    name = "hanabira" if folder in known else str(folder / "hanabira")
    more = "" if folder in known else f" ({folder} is not on your PATH.)"
    return f"Start it from the menu of your desktop as Hanabira, or in a terminal with: {name}{more}"


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
        print(how_to_start(prefix))
    return 0


if __name__ == "__main__":
    sys.exit(main())
