"""The terminal's photos of the work: `hanabira check` and `hanabira camera`."""

from __future__ import annotations

import argparse
from pathlib import Path

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add, numbers


def check(args: argparse.Namespace) -> dict:
    """Hold a photo of the work against a bundle's plan."""
    import numpy as np

    from hanabira.core.progress.check import check_photo
    from hanabira.core.progress.cure import found_faults
    from hanabira.core.progress.find import Refused
    from hanabira.core.progress.told import refused, told
    from hanabira.core.token import SILENT
    from hanabira.session.check_subject import subject_of
    from hanabira.session.from_bundle import session_of
    from hanabira.studio.pictures import read_picture

    corners = None
    if args.corners:
        pairs = args.corners.split(";")
        if len(pairs) != 4:
            raise Fault(
                f"“{args.corners}” is not four corners.", do="Write X,Y;X,Y;X,Y;X,Y in pixels, clockwise from the picture’s top left."
            )
        corners = np.array([numbers(p, 2, "a corner: X,Y in pixels") for p in pairs])
    photo = read_picture(args.photo).pixels
    second = read_picture(args.second).pixels if args.second else None
    with session_of(Path(args.bundle)) as session:
        subject = subject_of(session)
        if subject is None:
            raise Fault("The bundle has no photo of the animal.", do="Write the bundle anew with the client’s photo in it.")
        meant, strip = session.checkroom.meant(), args.strip != "none"

        def judge() -> dict:
            plan = subject.measured(SILENT).plan()
            checked = check_photo(photo, plan, corners, strip, second)
            return told(checked, found_faults(checked, plan, subject.floor, subject.own, subject.near, meant), plan)

        try:
            return session.workings.once("told", (photo, second, corners, strip, subject.sign, meant), judge)
        except Refused as fault:
            return refused(fault)


def camera(args: argparse.Namespace) -> dict:
    """Photograph a bundle's sheet with the simulated camera, as its log says it stands."""
    from hanabira.core.token import SILENT
    from hanabira.devices.drawn_sheet import Planted
    from hanabira.devices.easel_camera import flat_board
    from hanabira.session import simulated
    from hanabira.session.check_subject import subject_of
    from hanabira.session.from_bundle import session_of
    from hanabira.studio.pictures import write_picture

    out = Path(args.out)
    endings = (".png",) if args.flat else (".png", ".jpg", ".jpeg")
    if out.suffix.lower() not in endings:
        raise Fault(f"{out.name} has not the ending {' or '.join(endings)}.", do="Name a picture with --out.")
    faults = tuple(Planted.parse(text) for text in args.fault or ())
    if not 600 <= args.long <= 8000:
        raise Fault("--long must be 600 to 8000 pixels.")
    with session_of(Path(args.bundle)) as session:
        subject = subject_of(session)
        if subject is None:
            raise Fault("The bundle has no photo of the animal.", do="Write the bundle anew with the client’s photo in it.")
        measured = subject.measured(SILENT)
        if args.flat:
            g = simulated.FLAT_GRID
            strip = simulated.strip_beside(measured, args.seed, g) if args.strip else None
            picture = flat_board(simulated.drawn(measured, args.seed, faults, g), strip)
        else:
            picture = simulated.camera_over(measured, args.seed, args.strip, faults, args.long).take()
    write_picture(out, picture)
    return {
        "out": str(out), "width": picture.shape[1], "height": picture.shape[0], "seed": args.seed, "strip": bool(args.strip), "flat": bool(args.flat),
        "faults": [{"kind": f.kind, "area": f.number} for f in faults], "areas_begun": sum(bool(subject.laid_on(a.id)) for a in subject.areas),
    }  # fmt: skip


def show(command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if command == "camera":
        print(f"{data['out']}: {data['width']} × {data['height']} pixels, {data['areas_begun']} areas begun")
        return
    if data["refused"]:
        print(f"Not judged. {data['refused']['reason']} {data['refused']['cure']}")
        return
    print(data["sentence"])
    s, c = data["sheet"], data["colour"]
    print(
        f"sheet by {s['found_by']}, residue {s['residual_mm']:.2f} mm, {s['px_per_mm']:.1f} px a mm; colours by {c['by']}, ± {c['de00_expected']:.1f} ΔE00"
    )
    for n, f in enumerate(data["faults"], 1):
        print(f"{n:2}  {f['sentence']} {f['remedy']}")
    for words in data["remarks"]:
        print(f"caution: {words}")


def add_commands(add: Add) -> None:
    """Declare the commands on the parser."""
    p = add("check", check, "Hold a photo of the work against the plan: what is wrong, why, and what helps.")
    p.add_argument("bundle", metavar="BUNDLE")
    p.add_argument("photo", metavar="PHOTO")
    p.add_argument("--corners", metavar="X,Y;…", help="the sheet’s four corners in pixels, clockwise from the picture’s top left")
    p.add_argument("--strip", choices=("auto", "none"), default="auto", help="use the check strip when one lies there, or never")
    p.add_argument("--second", metavar="PHOTO", help="another photo with the lamp on the other side, against sheen")
    p = add("camera", camera, "Photograph the work with the simulated camera, as the log says it stands.")
    p.add_argument("bundle", metavar="BUNDLE")
    p.add_argument("--out", metavar="PHOTO", required=True)
    p.add_argument("--seed", type=int, default=1, metavar="N")
    p.add_argument("--strip", action="store_true", help="lay the check strip beside the sheet")
    p.add_argument("--long", type=int, default=2600, metavar="PX", help="longer side of the photo in pixels, 600 to 8000 (2600)")
    p.add_argument("--flat", action="store_true", help="straight on, evenly lit, no noise: a PNG at 6 pixels a millimetre")
    p.add_argument(
        "--fault",
        action="append",
        metavar="KIND:AREA",
        help="plant a fault: lighter, darker, green, big-eye, nostrils, mechanical, skipped",
    )
