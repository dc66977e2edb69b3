"""Installed like an application: what is written under a prefix, and that exactly that goes again."""

import configparser
import contextlib
import io
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

from PIL import Image

import hanabira
from hanabira.desk.virtual import virtual_screen
from hanabira.desktop import install
from tests.demo_studio import OnDemo
from tests.desk.test_desk import DemoCase


class Installed(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.prefix = Path(temp.name) / "a prefix"
        self.command = Path(temp.name) / "own place" / "hanabira"
        self.command.parent.mkdir()
        self.command.write_text("#!/bin/sh\n")
        self.written = install.install(self.prefix, self.command)

    def entry(self) -> configparser.SectionProxy:
        read = configparser.ConfigParser(interpolation=None, strict=True)
        read.optionxform = str
        read.read(self.prefix / "share/applications" / f"{install.ID}.desktop")
        return read["Desktop Entry"]

    def test_the_entry_starts_the_program_and_opens_bundles(self):
        entry = self.entry()
        self.assertEqual(entry["Exec"], f'"{self.command}" open %f', "a path with a blank is quoted")
        self.assertEqual(entry["Icon"], install.ID)
        self.assertEqual(entry["MimeType"], "application/x-hanabira-bundle;")
        self.assertEqual((self.prefix / "bin" / "hanabira").resolve(), self.command.resolve())
        self.assertEqual(install._quoted(Path("/usr/bin/hanabira")), "/usr/bin/hanabira")
        self.assertEqual(install._quoted(Path("/a%b/$x")), '"/a%%b/\\$x"')

    def test_a_bundle_is_known_by_its_name(self):
        root = ET.parse(self.prefix / "share/mime/packages" / f"{install.ID}.xml").getroot()
        space = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
        kind = root.find("m:mime-type", space)
        self.assertEqual(kind.get("type"), "application/x-hanabira-bundle")
        self.assertEqual(kind.find("m:glob", space).get("pattern"), "*.hanabira.zip")
        self.assertEqual(kind.find("m:sub-class-of", space).get("type"), "application/zip")

    def test_the_metadata_names_this_version_and_its_entry(self):
        path = self.prefix / "share/metainfo" / f"{install.ID}.metainfo.xml"
        root = ET.parse(path).getroot()
        self.assertEqual(root.findtext("id"), install.ID)
        self.assertEqual(root.findtext("launchable"), f"{install.ID}.desktop")
        self.assertEqual(root.find("releases/release").get("version"), hanabira.__version__)
        self.assertEqual(root.findtext("project_license"), "GPL-3.0-or-later")
        if shutil.which("appstreamcli"):
            subprocess.run(["appstreamcli", "validate", "--no-net", str(path)], check=True, capture_output=True)
        if shutil.which("desktop-file-validate"):
            subprocess.run(["desktop-file-validate", str(self.prefix / "share/applications" / f"{install.ID}.desktop")], check=True)

    def test_icons_have_their_sizes_and_are_no_empty_squares(self):
        for side in install.SIZES:
            path = self.prefix / f"share/icons/hicolor/{side}x{side}/apps/{install.ID}.png"
            with Image.open(io.BytesIO(path.read_bytes())) as image:
                self.assertEqual(image.size, (side, side))
                plum = sum(1 for r, g, b, a in image.convert("RGBA").get_flattened_data() if a > 200 and r > g + 30 and b > g + 15)
            self.assertGreater(plum, 0.08 * side * side, side)

    def test_what_was_installed_goes_and_nothing_else(self):
        other = self.prefix / "share/applications/other.desktop"
        other.write_text("[Desktop Entry]\n")
        studio = self.prefix / "share/hanabira-studio"
        studio.mkdir()
        (studio / "mine").write_text("a portrait")
        self.assertEqual(set(install.remove(self.prefix)), set(self.written))
        self.assertTrue(other.exists())
        self.assertEqual((studio / "mine").read_text(), "a portrait")
        self.assertFalse((self.prefix / "share/metainfo").exists(), "an empty folder goes as well")
        self.assertTrue(self.command.exists())
        self.assertEqual(install.remove(self.prefix), [])

    def test_installing_again_changes_nothing(self):
        before = {p: p.read_bytes() for p in self.written if p.is_file()}
        self.assertEqual(set(install.install(self.prefix, self.command)), set(self.written))
        self.assertEqual({p: p.read_bytes() for p in self.written if p.is_file()}, before)


MIME = """#!/bin/sh
# what the real one does as far as it matters here: it wants the folder of packages, and writes a database of what lies in it
test -d "$1/packages" || exit 1
sed -n 's/.*<glob pattern="\\([^"]*\\)".*/\\1/p' "$1"/packages/*.xml > "$1/globs2" 2>/dev/null || : > "$1/globs2"
for f in aliases magic mime.cache types; do echo made > "$1/$f"; done
rm -rf "$1/application"
for f in "$1"/packages/*.xml; do test -f "$f" && mkdir -p "$1/application" && cp "$f" "$1/application/x-$(basename "$f")"; done
exit 0
"""
OTHERS = """#!/bin/sh
echo made > "$1/{name}"
"""


class WholePrefix(unittest.TestCase):
    """With the programs of a desktop at work, which write databases of their own into the prefix."""

    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.prefix, programs = Path(temp.name) / "prefix", Path(temp.name) / "programs"
        programs.mkdir()
        for name, text in (
            ("update-mime-database", MIME),
            ("update-desktop-database", OTHERS.format(name="mimeinfo.cache")),
            ("gtk-update-icon-cache", OTHERS.format(name="icon-theme.cache")),
        ):
            (programs / name).write_text(text)
            (programs / name).chmod(0o755)
        path = mock.patch.dict(os.environ, {"PATH": f"{programs}{os.pathsep}{os.environ['PATH']}"})
        path.start()
        self.addCleanup(path.stop)
        self.command = Path(temp.name) / "hanabira"
        self.command.write_text("#!/bin/sh\n")

    def there(self) -> set[str]:
        return {str(p.relative_to(self.prefix)) for p in self.prefix.rglob("*")}

    def test_a_fresh_prefix_is_empty_again(self):
        install.install(self.prefix, self.command)
        self.assertIn("*.hanabira.zip", (self.prefix / "share/mime/globs2").read_text())
        for name in ("share/mime/mime.cache", "share/applications/mimeinfo.cache", "share/icons/hicolor/icon-theme.cache"):
            self.assertIn(name, self.there())
        install.install(self.prefix, self.command)  # a second time, as after an update
        install.remove(self.prefix)
        self.assertEqual(self.there(), set())

    def test_databases_of_others_stay_and_forget_us(self):
        packages, entries = self.prefix / "share/mime/packages", self.prefix / "share/applications"
        for folder in (packages, entries):
            folder.mkdir(parents=True)
        (packages / "own.xml").write_text('<glob pattern="*.own"/>\n')
        (entries / "own.desktop").write_text("[Desktop Entry]\n")
        for program, folder, _sources in install.REFRESH[:2]:
            subprocess.run([program, str(self.prefix / folder)], check=True)
        before = self.there()
        install.install(self.prefix, self.command)
        install.remove(self.prefix)
        self.assertEqual(self.there(), before)
        self.assertEqual((self.prefix / "share/mime/globs2").read_text(), "*.own\n")

    def test_a_database_that_speaks_of_others_stays_though_it_was_made_with_us(self):
        packages = self.prefix / "share/mime/packages"
        packages.mkdir(parents=True)
        (packages / "own.xml").write_text('<glob pattern="*.own"/>\n')
        install.install(self.prefix, self.command)
        install.remove(self.prefix)
        self.assertEqual((self.prefix / "share/mime/globs2").read_text(), "*.own\n")
        self.assertFalse((self.prefix / "share/applications").exists(), "where nothing is left, nothing stays")

    def test_it_says_how_to_start(self):
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            install.main([str(self.prefix), "--command", str(self.command)])
        self.assertIn("Start it from the menu", out.getvalue())
        self.assertIn(str(self.prefix / "bin" / "hanabira"), out.getvalue())
        self.assertTrue(install.how_to_start(Path("/x"), f"/y{os.pathsep}/x/bin").endswith(": hanabira"))


@unittest.skipUnless(shutil.which("Xvfb"), "needs Xvfb, which make venv installs when it may")
class WindowClass(unittest.TestCase):
    """A desktop groups a window under the entry whose StartupWMClass is the window's own."""

    ASK = """
import ctypes
from hanabira.desk.start import make_app
from PyQt6.QtWidgets import QWidget
app = make_app(["hanabira"])
window = QWidget(); window.show(); app.processEvents()
class Hint(ctypes.Structure):
    _fields_ = [("name", ctypes.c_char_p), ("of", ctypes.c_char_p)]
x, hint = ctypes.CDLL("libX11.so.6"), Hint()
x.XOpenDisplay.restype = ctypes.c_void_p
display = ctypes.c_void_p(x.XOpenDisplay(None))
assert x.XGetClassHint(display, ctypes.c_ulong(int(window.winId())), ctypes.byref(hint))
print(hint.of.decode())
"""

    def test_the_entry_names_the_class_of_the_real_window(self):
        entry = (install.HERE / f"{install.ID}.desktop").read_text("utf-8")
        with virtual_screen() as env:
            told = subprocess.run([sys.executable, "-c", self.ASK], env=env, capture_output=True, text=True, timeout=120, check=True)
        self.assertIn(f"\nStartupWMClass={told.stdout.strip()}\n", entry)


class DoubleClick(DemoCase):
    def test_a_bundle_that_is_opened_comes_onto_the_shelf(self):
        from hanabira.desk.start import take_in
        from hanabira.studio.bundle import write_bundle

        path = write_bundle(self.session.store, self.session.commission.id, self.folder.parent / "Tansy.hanabira.zip").path
        names = sorted(c.name for c in self.session.commissions)
        take_in(self.desk, path)
        self.settle()
        self.assertEqual(self.desk.current.name, "Shelf")
        self.assertEqual(len(self.session.commissions), len(names) + 1)
        self.assertIn("is on the shelf", self.said[-1].what)


class Exported(OnDemo):
    def test_bundles_are_written_under_the_name_that_the_desktop_knows(self):
        from hanabira.terminal.commands import main

        with tempfile.TemporaryDirectory() as folder:
            self.assertEqual(main(["export", "--studio", str(self.root / "demo"), "--all", "--to", folder]), 0)
            names = [p.name for p in Path(folder).iterdir()]
        self.assertGreater(len(names), 2)
        self.assertTrue(all(n.endswith(".hanabira.zip") for n in names), names)


if __name__ == "__main__":
    unittest.main()
