"""The demo studio's other sitters: a dapple-grey pony from the side, half done, and a barn owl from the front, delivered."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from hanabira.core.area.shape import Point
from hanabira.craft.templates import ellipse
from hanabira.devices.drawn_sheet import Planted
from hanabira.studio.records import Area, Commission, Terms

Ring = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Sitter:
    """A commission without its photo: ``areas`` are name, surface and ring; an eye is (middle x, y, radius).

    ``share`` of its steps is done, with ``shots`` photos of the work, the last of them with ``planted`` faults in the drawing.
    """

    kind: str
    commission: Commission
    file_name: str
    crop: tuple[float, float, float, float]
    areas: tuple[tuple[str, str, Ring | tuple[float, float, float]], ...]
    share: float = 0.0
    shots: int = 0
    planted: tuple[Planted, ...] = ()

    def last_day(self, today: datetime.date) -> datetime.date:
        """The last day of work: two before it was delivered, else yesterday."""
        c = self.commission
        return datetime.date.fromisoformat(c.delivered) - datetime.timedelta(days=2) if c.delivered else today - datetime.timedelta(days=1)

    def records(self, photo_id: str) -> list[Area]:
        """The areas as records."""
        out: list[Area] = []
        for n, (name, surface, shape) in enumerate(self.areas, 1):
            eye: tuple[Point, ...] = ()
            if surface == "eye":
                x, y, r = shape  # type: ignore[misc]
                ring, eye = ellipse(x, y, 1.12 * r, 1.12 * r, 0.0, 14), ((x, y), (x + r, y))  # type: ignore[operator]
            else:
                ring = tuple((float(x), float(y)) for x, y in shape)  # type: ignore[misc]
            twin = next((a.id for a in out if a.name == name.replace("Right", "Left") != name), "")
            out.append(Area(f"{self.commission.id}-area-{n}", self.commission.id, photo_id, n, name, surface, ring, eye=eye, twin_id=twin))
        return out


def sitters(today: datetime.date) -> tuple[Sitter, ...]:
    """Both, with due dates after ``today``."""

    def due(days: int) -> str:
        return (today + datetime.timedelta(days=days)).isoformat()

    pony = Sitter(
        "pony",
        Commission(
            "demo-bracken", "Bracken", "Ferro Lind", animal="dapple-grey pony", paper_id="vellum", ground_hex="#f1efe7", width_mm=400, height_mm=318,
            border_mm=10, due=due(54), kit_id="pencils", notes="Keep the long lashes and the pale star under the forelock. Head collar left out.",
            stage="Easel", created="2026-01-02T00:00:00", backdrop="#3b3733",
            terms=Terms( rate=36, materials=18, delivery="Collected from the studio", accessories="Head collar left out", photo_permission=True ),
        ),
        "bracken.jpg", crop=(0.0, 8.0, 1600.0, 1254.7),
        areas=( ("Eye", "eye", (645.0, 592.0, 58.0)), ("Muzzle", "nose", ((120, 1090), (180, 970), (300, 920), (420, 1010), (440, 1130), (380, 1210), (250, 1220), (150, 1170))), ("Face", "short-fur", ((300, 900), (420, 720), (560, 560), (590, 690), (540, 850), (440, 1000), (340, 930))), ("Cheek", "short-fur", ((650, 730), (860, 640), (940, 800), (820, 920), (640, 960), (520, 930))), ("Ear", "ear-inside", ((715, 240), (740, 130), (790, 60), (830, 160), (805, 280), (740, 300))), ("Forelock", "mane-and-tail", ((450, 560), (520, 400), (640, 260), (715, 285), (640, 340), (560, 480))), ("Mane", "mane-and-tail", ((1040, 250), (1300, 210), (1590, 200), (1590, 640), (1300, 610), (1120, 540))), ("Dappled neck", "short-fur", ((960, 560), (1130, 600), (1580, 700), (1580, 1200), (1360, 1140), (1100, 920), (940, 800))), ),
        share=0.5, shots=3, planted=(Planted("green", 7), Planted("lighter", 4)),
    )
    owl = Sitter(
        "owl",
        Commission(
            "demo-vesper",
            "Vesper",
            "Halden Rook",
            "barn owl",
            "sanded",
            "#b9b1a4",
            240,
            300,
            10,
            due(-6),
            "pastels",
            "For the mews at the old mill. The heart of the face must stay crisp.",
            "Easel",
            "2026-01-03T00:00:00",
            backdrop="#4a5148 #2d332e",
            terms=Terms(rate=36, materials=14, delivery="By hand, framed", photo_permission=True),
            delivered=due(-9),
        ),
        "vesper.jpg",
        (283.0, 0.0, 1005.7, 1280.0),
        (
            ("Left eye", "eye", (737.0, 362.0, 48.0)),
            ("Right eye", "eye", (957.0, 371.0, 44.0)),
            ("Beak", "beak-and-cere", ((835, 480), (872, 478), (876, 540), (855, 562), (838, 532))),
            (
                "Left face",
                "contour-feathers",
                ((562, 330), (600, 210), (700, 145), (800, 170), (846, 240), (842, 430), (800, 560), (690, 600), (600, 500)),
            ),
            (
                "Right face",
                "contour-feathers",
                ((872, 240), (930, 165), (1040, 170), (1110, 260), (1130, 400), (1060, 560), (950, 640), (890, 560), (880, 420)),
            ),
            (
                "Crown",
                "contour-feathers",
                ((520, 250), (560, 140), (680, 70), (850, 58), (1000, 90), (1060, 150), (930, 140), (865, 205), (780, 130), (640, 140)),
            ),
            (
                "Breast",
                "fluffy-down",
                ((770, 740), (940, 720), (1100, 600), (1110, 740), (1080, 1000), (1000, 1150), (700, 1170), (690, 960)),
            ),
            ("Mantle", "contour-feathers", ((480, 500), (560, 620), (690, 720), (740, 770), (680, 940), (420, 950), (410, 720))),
            ("Flight feathers", "flight-feathers", ((400, 970), (660, 960), (650, 1140), (390, 1150))),
        ),
        1.0,
        4,
    )
    return pony, owl
