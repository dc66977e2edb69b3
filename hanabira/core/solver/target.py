"""From a colour in the photo to the colour that can stand for it on this paper."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import WHITE, Array, lab_to_xyz, xyz_to_lab
from hanabira.core.optics.bands import reflectance_to_xyz
from hanabira.core.optics.batch import lay, start
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare
from hanabira.core.optics.tooth import see


@dataclass(frozen=True)
class Reach:
    """What a kit reaches on a paper: XYZ of the lightest colour and Y of the darkest."""

    white: Array
    black_y: float

    @property
    def darkest_l(self) -> float:
        """L* of the darkest reachable colour."""
        return float(xyz_to_lab(WHITE * self.black_y)[0])

    @property
    def lightest_l(self) -> float:
        """L* of the lightest reachable colour."""
        return float(xyz_to_lab(self.white)[0])

    def paper_target(self, lab: ArrayLike) -> Array:
        """Lab on paper for Lab in the photo, (…, 3).

        XYZ' = W·(b + (1 − b)·XYZ/D65): the photo's white becomes the lightest colour of paper
        and kit, its black the darkest; hue and the order of values stay.
        """
        b = min(0.9, self.black_y / float(self.white[1]))
        return xyz_to_lab(self.white * (b + (1 - b) * lab_to_xyz(lab) / WHITE))


def reach(kit: Kit, paper: Paper) -> Reach:
    """Lightest and darkest a kit gets on a paper with up to three heavy passes of one pencil."""
    n, spot = len(kit), bare(paper)
    film = Film(kit.film.absorption, kit.film.scattering)
    batch, seen = start(spot, n), [spot.reflectance[None]]
    for _ in range(3):
        batch, _deposit = lay(paper, batch, film, np.full(n, 5), kit.hand)
        seen.append(see(batch.zones, paper.n))
    xyz = reflectance_to_xyz(np.concatenate(seen))
    return Reach(xyz[np.argmax(xyz[:, 1])], float(xyz[:, 1].min()))
