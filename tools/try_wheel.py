"""Build the wheel from a clean copy of what is checked in, and try it in a fresh environment: ``python -m tools.try_wheel DIST``.

The fresh environment borrows the libraries of this one, but nothing of this folder: what the wheel forgot to pack is missing there.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import venv
from pathlib import Path

ROOT = Path(__file__).parent.parent
TRIED = """
import json, sys
from pathlib import Path
import hanabira
from hanabira.craft.supplies import papers, shipped_kit, surfaces
from hanabira.desk.book import PICTURES, print_book
from hanabira.desk.start import make_app
from hanabira.handbook.pages import pages
app = make_app()
print_book(Path(sys.argv[1]) / "book.pdf")
print(json.dumps({
    "from": hanabira.__file__, "version": hanabira.__version__, "papers": len(papers()), "surfaces": len(surfaces()), "pencils": len(shipped_kit("pencils")),
    "pages": len(pages()), "pictures": len(list(PICTURES.glob("*.jpg"))), "icon": not app.windowIcon().isNull(),
}))
"""


def run(*words: str, **more: object) -> str:
    """Output of a program; its errors are shown when it fails."""
    done = subprocess.run(words, capture_output=True, text=True, **more)  # type: ignore[call-overload]
    if done.returncode:
        sys.exit(f"{' '.join(words[:4])} failed:\n{done.stdout[-2000:]}{done.stderr[-3000:]}")
    return str(done.stdout)


def main(target: Path) -> None:
    """Build, install, try."""
    target.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        clean, fresh = Path(folder) / "clean", Path(folder) / "fresh"
        clean.mkdir()
        listed = run("git", "ls-files", "-z", cwd=ROOT).split("\0")
        for name in filter(None, listed):
            if (ROOT / name).exists():
                (clean / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(ROOT / name, clean / name)
        run(sys.executable, "-m", "build", "--wheel", "--outdir", str(target.resolve()), str(clean))
        wheel = max(target.glob("hanabira-*.whl"), key=lambda p: p.stat().st_mtime)
        venv.create(fresh, with_pip=True)
        python = fresh / "bin" / "python"
        inside = Path(run(str(python), "-c", "import sysconfig; print(sysconfig.get_path('purelib'))").strip())
        (inside / "borrowed.pth").write_text(sysconfig.get_path("purelib") + "\n")  # its own .pth files are not followed from here
        run(str(python), "-m", "pip", "install", "--quiet", "--no-deps", "--no-index", str(wheel))
        env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        told = json.loads(run(str(python), "-c", TRIED, folder, cwd=folder, env=env).splitlines()[-1])
        if not str(told["from"]).startswith(str(fresh)):
            sys.exit(f"the fresh environment ran {told['from']}, not the wheel")
        version = run(str(fresh / "bin" / "hanabira"), "--version", cwd=folder, env=env).strip()
        if told["version"] not in version or min(v for v in told.values() if isinstance(v, int)) < 1:
            sys.exit(f"the wheel lacks something: {told}, {version}")
        prefix = Path(folder) / "prefix"
        print(run(str(python), "-m", "hanabira.desktop.install", str(prefix), cwd=folder, env=env).strip())
        print(f"{wheel.name} runs in a fresh environment: {told}")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "dist")
