"""How things are measured, in an artist's words, for the dotted underlines."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from hanabira.desk import theme
from hanabira.desk.controls import Words

TOPICS: dict[str, tuple[str, str]] = {
    "check": (
        "How a photo is judged",
        "The sheet is found by its border, or by the corners you set; tilt and the lens’s bend are taken out. The bare paper tells the light, the check strip tells the camera’s "
        "tone; without the strip darks are not judged, since a camera alone can move them by eight L*. Each place is held against the forecast at its step, never against the "
        "client’s photo before it is finished. What all places share is said once; what is left is a fault only beyond twice its uncertainty, which grows where the paper is far, in "
        "shadow, and where the forecast rests on a kit that was never fitted. Gloss, hands and tape are left out.",
    ),
    "practice": (
        "How practice is measured",
        "A spot is even enough to have one value; its L* is the median inside the ring. What you say less what is, in value steps, is your error; many errors give a lean with its "
        "certainty, and none is claimed under twenty answers or within its own uncertainty. The drills keep to three of four right: after a right answer the next one is a little harder, after a "
        "wrong one easier. What failed comes back.",
    ),
    "check_rank": (
        "How faults are ranked",
        "By how far the place is off (ΔE00), by the share of the portrait it covers, by how near it lies to the focal point, and by how soon it can no longer be mended: a gap that later "
        "layers will cover comes before a highlight that can wait.",
    ),
    "check_cure": (
        "How a correction is predicted",
        "The colour that was found is taken as the start, and each pencil you own is laid over it in thin passes by the film model; a lift comes before any glaze where it is too dark. No "
        "pencil that fades more than the brief allows, no more tooth than there is, light pressure, the portrait’s own pencils first. The claim is a range: lay one pass, look, and photograph "
        "it again.",
    ),
    "values": (
        "How values are measured",
        "Every pixel of the area gets its lightness L* from 0 (black) to 100 (white). The pixels are sorted. The gap is the middle colour of the darkest 12 %, "
        "the general colour of the middle from 35 to 65 %, the light of 88 to 98.5 %, the highlight of the lightest 1.5 %. Middle means median: one glint or one speck "
        "does not move it. A step is a tenth of the range.",
    ),
    "palette": (
        "How colours are found",
        "All pixels are sorted into small cells of colour. Cells that lie together become one colour; small colours get a louder voice than their number, so that a few hairs of "
        "another hue are not lost. The share is the part of the area’s pixels. In the rose the direction is the hue, the length the strength, the width the share.",
    ),
    "temperature": (
        "How warm and cool are judged",
        "The area’s middle colour is compared with neutral grey: toward orange is warm, toward blue is cool. The figure is how far, in Lab units; below 1.5 it counts as neutral. "
        "It trusts the photo’s light: under a coloured lamp everything leans. A hidden hue is a turn of the tone in the darks or lights, or patches of another hue that stand "
        "clearly above the photo’s noise.",
    ),
    "hair": (
        "How the hair is read",
        "The direction is the one along which the fine light and dark marks run, measured at three sizes of hair, away from the edges of markings. Degrees count from the right, "
        "upward. Where no direction stands out, none is given. The visible run is how far a hair can be followed before another crosses it; the range in brackets is honest. "
        "Root and tip cannot be told from the photo.",
    ),
    "shapes": (
        "How value shapes are found",
        "The photo is squinted: blurred, but with its large edges kept. Its values are cut into steps that lie half way between even values and even shares of the picture. "
        "Islands smaller than a 2500th of the picture go to their neighbours.",
    ),
    "light": (
        "How the light is set",
        "The place you pick is taken to be grey: what colour it has is the colour of the light, and the whole photo is turned into daylight by the cone responses of the eye. "
        "A known colour works the same way. Exposure multiplies the light in stops. All of it is kept as settings; the client’s file is never changed.",
    ),
    "warmth": (
        "How warm and cool are weighed",
        "The median colour of the cut-out animal, or of the whole photo before it is cut out, counts as neutral. Every place is compared with it along the line from blue to orange, after the "
        "finest grain is smoothed. More than 1.5 Lab units count. The map keeps the values and paints only the lean.",
    ),
    "sun": (
        "How the light’s direction is estimated",
        "At the animal’s edge its surface turns away, so the outline tells which way it faces. The brightness just inside the edge and the lean of brightness over the whole body are both "
        "compared with that. Only where they agree is a direction given. Markings can mislead it; your own line always counts more.",
    ),
    "surroundings": (
        "How surroundings change a value",
        "The same grey looks lighter on dark and darker on light. How much is computed with a published model of colour appearance, for the photo’s own surroundings and for "
        "your backdrop, and given in value steps of 1 to 10.",
    ),
    "printer": (
        "How the printer’s tone is corrected",
        "Fine stripes of black on white mix, from two metres, to a grey that is known from the black’s share alone. The step that looks the same has that lightness, whatever the printer did to it. "
        "With the first dark step and the last light step this gives the printer’s curve; the prints are sent through its inverse.",
    ),
    "eye": (
        "How an eye is measured",
        "From your two clicks the circle with the steepest step across it is fitted. The pupil is the dark part that holds the middle; where it is less than 6 L* darker than the iris it has no edge to find. "
        "The iris is read in three rings and in parts under the lid, low, and opposite the catchlight, always without the catchlight itself. Middle means median.",
    ),
    "nose": (
        "How a nose is measured",
        "Nostrils are the dark hollows well below the leather, two of like size side by side. Wet highlights are small spots that stand above the leather round them. "
        "Pebbles show as a ring in how the leather’s detail repeats; the figure is the ring’s distance.",
    ),
    "whiskers": (
        "How whiskers are found",
        "Long thin lines that are lighter or darker than both their sides and lie across the fur, or are longer than any of its hairs. Broken pieces in one line are joined. "
        "Whiskers out of focus or as light as their ground are missed: count them by eye when it matters.",
    ),
    "feathers": (
        "How rows of feathers are read",
        "The shade under each feather’s rim is taken, and how it repeats along each direction near the barbs. Only a repeat that shows in every half of the area is given. "
        "Soft breasts and down have none.",
    ),
    "marking": (
        "How the class of a marking is judged",
        "A small model that was trained on rendered and real coats looks at the area in five cuts. It gives the likeliest class and the next one. Below 50 % it asks you. What you say counts.",
    ),
    "pattern": (
        "How the marking is separated",
        "The light’s slow slope is taken off, fur is smoothed at the size of a hair, and the two tones that remain are parted where they differ most. The smaller part is the marking. "
        "Its edge is how many millimetres it takes to change.",
    ),
    "neighbours": (
        "How neighbours are compared",
        "Areas that touch or lie within 4 mm of paper. The difference is that of their general values; ten L* are one step.",
    ),
    "overlap": (
        "How overlapping areas share the photo",
        "Where two areas overlap, the pixels belong to the one on top: the smaller one, unless you laid another over it. An eye drawn on a face is not measured as face.",
    ),
    "fit": (
        "How a pencil is fitted",
        "Print the swatch sheet on your drawing paper, fill its cells with your own pencils, and photograph or measure it. The light is taken out by the bare paper, the camera’s tone "
        "by the grey steps. Then the pencil’s spectrum and strength, the paper’s room and your hand’s pressures are fitted together to all patches. The figure behind ± is the difference to "
        "expect in mixtures: about 2 with four patches of a pencil, 6 or more with one, and unknown before any.",
    ),
    "optics": (
        "How a colour is predicted",
        "Each pencil is a film that lets part of the light through and scatters part of it, in eight bands of the spectrum. The paper’s tooth is filled from its peaks down; heavier pressure "
        "reaches deeper and fills more. Expected is the mean difference over six unsteady hands, not the lucky one. The pencils’ figures come from the kit file: no swatch "
        "of yours has been read yet, so take a test on a scrap of the same paper.",
    ),
}


class Explanation(QFrame):
    """A card that tells how something was measured; any click or Esc puts it away."""

    def __init__(self, parent: QWidget, title: str, words: str) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAccessibleName(title)
        self.setFrameShape(QFrame.Shape.StyledPanel)
        box = QVBoxLayout(self)
        box.addWidget(Words(title, "name", "ink"))
        box.addWidget(Words(words, "body", "ink"))
        self.setFixedWidth(theme.u(400))
