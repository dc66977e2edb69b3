"""Render the demo's client photos and their truth: ``python -m demo_making.render hanabira/demo/data [kind …]``. Minutes each."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from PIL import Image

from demo_making.truth import DATA, reduced
from hanabira.demo.pictures import PHOTOS

SCENES = {
    "rabbit": ("harlequin", (2000, 1600), 1),
    "pony": ("dapple", (1600, 1280), 5),
    "owl": ("", (1600, 1280), 7),
    "jackdaw": ("", (1600, 1280), 4),
}


def main(target: Path, kinds: list[str]) -> None:
    for kind in kinds or list(SCENES):
        coat, size, seed = SCENES[kind]
        if kind in ("rabbit", "pony"):
            from demo_making.animals.render import render

            picture, truth = render(kind, coat, size, seed)
            small = reduced(truth["direction"], truth["part"], truth["marking"], truth["light"])
        else:
            from demo_making.birds.render import render as render_bird

            picture, truth = render_bird(kind, *size, seed)
            small = reduced(truth["direction_deg"], truth["parts"], truth["marking"], truth["light_dir"], truth["row_spacing_px"])
        path = target / PHOTOS[kind].name
        Image.fromarray(picture).save(path, quality=91, optimize=True)
        np.savez_compressed(DATA / f"{path.stem}_truth.npz", **small)
        print(path, picture.shape)


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
