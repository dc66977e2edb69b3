"""The one table of what can be done: menus, the list of commands, shortcuts and the printed key card come from it.

An act says where it applies and what it needs. It goes to its stage first, or is off and says why; nothing acts on a stage that is not open.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from hanabira.core.solver import area as recipe_changes
from hanabira.core.solver.layer import BANDS
from hanabira.craft.templates import templates
from hanabira.desk.explain import TOPICS
from hanabira.desk.stages.areas import cards as areas_cards
from hanabira.desk.stages.recipe import cards as recipe_cards
from hanabira.desk.stages.recipe.tabs import TABS as RECIPE_TABS
from hanabira.desk.stages.study import printing as study_print
from hanabira.session import area_edits
from hanabira.session.looks import LOOKS
from hanabira.studio.records import STAGES

if TYPE_CHECKING:
    from hanabira.desk.stages.areas.stage import AreasStage
    from hanabira.desk.stages.check.stage import CheckStage
    from hanabira.desk.stages.easel.stage import EaselStage
    from hanabira.desk.stages.kit.stage import KitRoom
    from hanabira.desk.stages.plan.stage import PlanStage
    from hanabira.desk.stages.practice.stage import PracticeRoom
    from hanabira.desk.stages.recipe.stage import RecipeStage
    from hanabira.desk.stages.shelf.stage import ShelfRoom
    from hanabira.desk.stages.study.stage import StudyStage
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session

ROOMS = ("Shelf", "Kit", "Practice")
MENUS = ("Commission", "Edit", "Go", "Look", "Study", "Areas", "Recipe", "Plan", "Easel", "Check", "Kit", "Practice", "Help")
NEEDS: dict[str, tuple[Callable[[Session], bool], str]] = {
    "commission": (lambda s: s.commission is not None, "No commission is open. Choose one on the shelf, or make the first."),
    "photo": (lambda s: s.photo is not None, "There is no photo yet. Add the client’s photo first."),
    "view": (lambda s: s.view is not None, "The photo is not open yet. Add the client’s photo, or wait a moment."),
    "areas": (lambda s: bool(s.areas), "There are no areas yet. Draw the first one in Areas."),
    "area": (lambda s: s.area is not None, "No area is chosen. Click an area or its name first."),
    "layers": (lambda s: bool(s.recipe_layers(s.area_id)), "The chosen area has no layers yet. Solve it in Recipe first."),
    "recipes": (lambda s: any(s.recipe_layers(a.id) for a in s.areas), "There are no layers yet. Solve an area in Recipe first."),
    "begun": (
        lambda s: s.commission is not None and bool(s.logbook.rows() or s.logbook.shots()),
        "Nothing is logged yet and there is no photo of the work: the record tells what was done.",
    ),
    "cut": (
        lambda s: s.photo is not None and len(s.photo.prep.outline) > 2,
        "The animal is not cut out yet. Draw round it in Study first.",
    ),
    "undo": (lambda s: s.undo is not None and s.undo.can_undo, "There is nothing to take back."),
    "redo": (lambda s: s.undo is not None and s.undo.can_redo, "Nothing was taken back."),
    "writable": (lambda s: not s.store.read_only, "This studio is open for reading only."),
}
"""What an act can need: whether it is there, and the words when it is not."""


@dataclass(frozen=True)
class Act:
    """One thing that can be done. ``stage`` is gone to first; what it ``needs`` are keys of `NEEDS`; a ``gap`` stands above it in its menu."""

    id: str
    words: str
    menu: str
    run: Callable[[Desk], object]
    keys: str = ""
    stage: str = ""
    needs: tuple[str, ...] = ()
    help: str = ""
    gap: bool = False

    def off(self, session: Session) -> str:
        """Why it cannot be done now; empty when it can."""
        return next((words for there, words in (NEEDS[n] for n in self.needs) if not there(session)), "")


def perform(desk: Desk, act: Act) -> bool:
    """Do it where it belongs; or say why it cannot be done, and do nothing. Whether it was done."""
    why = act.off(desk.session)
    if why:
        desk.say(why, "Nothing was changed.")
        return False
    if act.stage and desk.current.name != act.stage:
        desk.show_room(act.stage) if act.stage in ROOMS else desk.go(act.stage)
    act.run(desk)
    return True


def _acts(menu: str, rows: Iterable[tuple], stage: str = "", needs: tuple[str, ...] = ()) -> list[Act]:
    """Acts of one menu: (id, words, run[, keys[, more needs[, help]]])."""
    out = []
    for name, words, run, *more in rows:
        keys, extra, help_ = (*more, *("", (), "")[len(more) :])
        out.append(Act(
            f"{menu.lower()}.{name}", words, menu, run=run, keys=keys, stage=stage, needs=(*needs, *extra), help=help_,
        ))
    return out


# -- the frame ------------------------------------------------------------------
def _commission() -> list[Act]:
    shelf: Callable[[Desk], ShelfRoom] = lambda d: d.stages["Shelf"]  # type: ignore[assignment,return-value]  # noqa: E731
    key: Callable[[Desk], str] = lambda d: d.session.commission.id if d.session.commission else ""  # noqa: E731
    out = _acts("Commission", [
        ("new", "New commission", lambda d: d.new_commission(), "Ctrl+N", ("writable",)),
        ("photo", "Add a photo", lambda d: d.ask_photo(), "Ctrl+O", ("writable",)),
        ("card", "Print the recipe card", lambda d: d.records.recipe_card(), "Ctrl+P", ("commission", "recipes"), "Write a PDF with the areas, layers and values"),
        ("book", "Print the bench book", lambda d: d.records.bench_book(), "", ("commission", "recipes")),
        ("approval", "Print the approval sheet for the client", lambda d: d.records.approval(), "", ("commission", "view")),
        ("quote", "Print the quote for the client", lambda d: d.records.quote(), "", ("commission", "recipes")),
        ("record", "Print the record for the client’s file", lambda d: d.records.record_pdf(), "", ("commission", "begun")),
        ("record-json", "Write: record as JSON", lambda d: d.records.record_json(), "", ("commission",)),
        ("log", "Write: log as CSV", lambda d: d.records.log_csv(), "", ("commission",)),
        ("bundle", "Write: everything as a bundle", lambda d: d.records.bundle(), "", ("commission",)),
        ("take-in", "Take in a bundle", lambda d: shelf(d).take_in(), "", ("writable",)),
    ])  # fmt: skip
    out += _acts("Commission", [
        ("template", "Duplicate the commission as a template", lambda d: shelf(d).duplicate(key(d)), "", ("commission", "writable")),
        ("remove", "Remove the commission for good", lambda d: shelf(d).remove(key(d)), "", ("commission",)),
        ("archive", "Put the commission into the archive or back", lambda d: shelf(d).archive(key(d)), "", ("commission",)),
    ], "Shelf")  # fmt: skip
    out += _acts("Commission", [
        ("backup", "Make a backup now", lambda d: d.back_up(), "", (), "Copy the studio’s database into its backups"),
        ("go-back", "Go back to a backup", lambda d: d.go_back(), "", ("writable",), "The studio as it was on an earlier day; what it is now is set aside"),
    ])  # fmt: skip
    return [*out, Act("commission.close", "Close", "Commission", lambda d: d.close(), "Ctrl+Q", gap=True)]


def _frame() -> list[Act]:
    out = _acts("Edit", [
        ("undo", "Take back", lambda d: d.take_back(), "Ctrl+Z", ("undo",)),
        ("redo", "Do again", lambda d: d.do_again(), "Ctrl+Shift+Z", ("redo",)),
    ])  # fmt: skip
    for k, name in enumerate(STAGES):
        out.append(Act(f"go.{name.lower()}", name, "Go", lambda d, name=name: d.go(name), f"Ctrl+{k + 1}", needs=("commission",)))  # type: ignore[misc]
    for name in ROOMS:
        out.append(Act(f"go.{name.lower()}", name, "Go", lambda d, name=name: d.show_room(name), gap=name == ROOMS[0]))  # type: ignore[misc]
    for key, (name, letter, words, _maths) in LOOKS.items():
        need = ("view",)
        out.append(
            Act(
                f"look.{key}",
                f"Pin: {name}",
                "Look",
                lambda d, key=key: d.pin(key),
                needs=need,
                help=f"{words}. Hold {letter} for a short look",
            )  # type: ignore[misc]
        )
    mat = lambda act: lambda d: d.on_mat(act)  # noqa: E731
    out.append(Act("look.whole", "Whole sheet", "Look", mat(lambda m: m.fit()), "Ctrl+0", needs=("commission",), gap=True))
    out += _acts("Look", [
        ("true", "True size", lambda d: d.on_mat(lambda m: m.true_size(d.px_per_mm)), "Ctrl+T", ("commission",), "A millimetre of paper is a millimetre of the screen"),
        ("nearer", "Nearer", mat(lambda m: m.zoom_at(m.inner.center(), 1.25)), "Ctrl+Up", ("commission",)),
        ("farther", "Farther", mat(lambda m: m.zoom_at(m.inner.center(), 0.8)), "Ctrl+Down", ("commission",)),
        ("ruler", "Hold a ruler to the screen", lambda d: d.calibrate_screen(), "", (), "Make true size true on this screen"),
    ])  # fmt: skip
    out.append(
        Act(
            "look.spot",
            "Read the colour in the middle of the view",
            "Look",
            mat(lambda m: m.touch_middle()),
            "Ctrl+D",
            needs=("photo",),
            gap=True,
        )
    )
    out.append(Act("look.keep-spot", "Keep the touched colour as a note", "Look", lambda d: d.session.dropper.keep(), needs=("commission",)))
    out.append(Act("look.theme", "Evening or day", "Look", lambda d: d.switch_theme(), "Ctrl+E", gap=True))
    out += _acts("Look", [
        ("larger", "Larger text", lambda d: d.text_step(1), "Ctrl++"),
        ("smaller", "Smaller text", lambda d: d.text_step(-1), "Ctrl+-"),
    ])  # fmt: skip
    return out


# -- stages ------------------------------------------------------------------------
def _study() -> list[Act]:
    s: Callable[[Desk], StudyStage] = lambda d: d.stages["Study"]  # type: ignore[assignment,return-value]  # noqa: E731

    def tool(way: str, name: str) -> Callable[[Desk], object]:
        return lambda d: (s(d).choose_way(way), s(d).choose_tool(name))

    return _acts("Study", [
        ("look", "Move the view", lambda d: s(d).choose_way("look")),
        ("frame", "Frame the photo", tool("frame", "move")),
        ("whole", "As much of the photo as fits", lambda d: s(d).whole()),
        ("level", "Straighten by a level line", tool("frame", "level")),
        ("mirror", "Mirror the photo for good", lambda d: s(d).mirror()),
        ("focal", "Set the focal point", tool("frame", "focal")),
        ("pick", "Pick a grey or white", tool("light", "pick")),
        ("known", "Pick a known colour", tool("light", "known")),
        ("guess", "Guess the lamp’s colour", lambda d: s(d).automatic_light(), "", ("view",)),
        ("as-taken", "Lamp as taken", lambda d: s(d).as_taken()),
        ("sun", "Say where the lamp or the sun stands", tool("light", "sun")),
        ("outline", "Draw round the animal to cut it out", tool("cut", "outline")),
        ("keep", "Keep stroke", tool("cut", "keep")),
        ("drop", "Drop stroke", tool("cut", "drop")),
        ("on-backdrop", "Show the animal on the backdrop", lambda d: s(d).show_cut(True), "", ("cut",)),
        ("own", "Show the photo’s own surroundings", lambda d: s(d).show_cut(False), "", ("cut",)),
        ("forget-cut", "Forget the cut", lambda d: s(d).forget_cut(), "", ("cut",)),
        ("line", "Measure a line", tool("grid", "line")),
        ("angle", "Measure an angle", tool("grid", "angle")),
        ("grid", "Show or hide the grid", lambda d: s(d).set_grid("grid_on", not s(d).grid_on)),
        ("print-photo", "Print the photo at true size", lambda d: study_print.print_true_size(s(d), True), "", ("view",)),
        ("print-lines", "Print lines to trace at true size", lambda d: study_print.print_true_size(s(d), False), "", ("view",)),
        ("print-wedge", "Print the grey wedge", lambda d: study_print.print_wedge(s(d))),
    ], "Study", ("commission", "photo"))  # fmt: skip


def _areas() -> list[Act]:
    a: Callable[[Desk], AreasStage] = lambda d: d.stages["Areas"]  # type: ignore[assignment,return-value]  # noqa: E731
    way = lambda name: lambda d: a(d).choose_way(name)  # noqa: E731
    one = ("area",)
    out = _acts("Areas", [
        ("loop", "Draw an area with the loop", way("loop")),
        ("corners", "Draw an area by corners", way("corners")),
        ("touch", "Find an area by touch", way("touch")),
        ("eye", "Click an eye", way("eye")),
        ("whole", "Part the whole animal", lambda d: a(d).part_whole(), "Ctrl+Shift+A"),
        ("reshape", "Reshape the chosen area", way("reshape"), "", one),
        ("push", "Push the chosen area’s edge", way("push"), "", one),
        ("comb", "Comb the chosen area", way("comb"), "", one),
        ("join", "Join the next loop to the area", lambda d: a(d).next_loop("join"), "", one),
        ("cut", "Cut the next loop away from the area", lambda d: a(d).next_loop("cut"), "", one),
        ("split", "Cut the area along what lies on it", lambda d: area_edits.split_from_neighbours(d.session), "", one),
        ("holes", "Close the area’s holes", lambda d: area_edits.close_holes(d.session), "", one),
        ("top", "Lay the area on top", lambda d: area_edits.lay(d.session, 1), "", one),
        ("under", "Lay the area underneath", lambda d: area_edits.lay(d.session, -1), "", one),
        ("twin", "Mirror the area to the other side", lambda d: area_edits.mirror_over(d.session), "", (*one, "view")),
        ("earlier", "Work the area earlier", lambda d: area_edits.step_order(d.session, -1), "", one),
        ("later", "Work the area later", lambda d: area_edits.step_order(d.session, 1), "", one),
        ("add-marking", "Add a part to the marking", lambda d: a(d).trace("add"), "", one),
        ("cut-marking", "Take a part from the marking", lambda d: a(d).trace("away"), "", one),
        ("marking-svg", "Write the marking as SVG", lambda d: areas_cards.write_marking(a(d)), "", one),
    ], "Areas", ("commission", "photo"))  # fmt: skip
    for key, template in templates().items():
        out.append(
            Act(
                f"areas.template-{key}",
                f"Propose areas: {template.name.lower()}",
                "Areas",
                lambda d, key=key: a(d).choose_template(key),
                stage="Areas",
                needs=("commission", "photo"),
            )  # type: ignore[misc]
        )
    out.append(Act("areas.next", "Next area", "Areas", lambda d: d.step_area(1), "Ctrl+Right", needs=("areas",), gap=True))
    out.append(Act("areas.before", "Area before", "Areas", lambda d: d.step_area(-1), "Ctrl+Left", needs=("areas",)))
    return out + _acts("Areas", [
        ("name", "Name the area", lambda d: a(d).name_area(), "F2", one),
        ("surface", "Set the surface of the area", lambda d: a(d).set_surface(), "", one),
        ("delete", "Delete the area", lambda d: a(d).delete(), "Ctrl+Del", one),
    ], "Areas")  # fmt: skip


ANIMAL_AIMS = (("warmer", "warmer"), ("cooler", "cooler"), ("richer", "richer"), ("quieter", "quieter"), ("darks", "lighter darks"))
TOOL_WORDS = (
    ("indent", "Indent lines first"), ("solvent", "Blend with solvent"), ("stump", "Rub with a stump"), ("lift", "Lift a little"), ("erase", "Erase"),
    ("scrape", "Scrape lights out"),
)  # fmt: skip


def _recipe() -> list[Act]:
    r: Callable[[Desk], RecipeStage] = lambda d: d.stages["Recipe"]  # type: ignore[assignment,return-value]  # noqa: E731
    some = ("layers",)

    def press(step: int) -> Callable[[Desk], object]:
        return lambda d: (
            r(d).change("pressure", pressure=q.pressure + step) if 1 <= (q := r(d).layers[r(d).at]).pressure + step <= 5 else None
        )

    def passes(step: int) -> Callable[[Desk], object]:
        return lambda d: r(d).change("pass", passes=q.passes + step) if 1 <= (q := r(d).layers[r(d).at]).passes + step <= 9 else None

    out = _acts("Recipe", [
        ("solve", "Solve the layers anew", lambda d: r(d).solve(), "Ctrl+R"),
        ("add", "Add a layer", lambda d: r(d).add_layer()),
        ("remove", "Remove the layer", lambda d: r(d).remove_layer(), "", some),
        ("up", "Lay the layer later", lambda d: r(d).move_up(), "", some),
        ("down", "Lay the layer earlier", lambda d: r(d).move_down(), "", some),
        ("harder", "Press harder", press(1), "", some),
        ("lighter", "Press lighter", press(-1), "", some),
        ("pass-more", "One pass more", passes(1), "", some),
        ("pass-less", "One pass less", passes(-1), "", some),
        ("best", "Take the best other pencil", lambda d: _best_swap(r(d)), "", some),
        ("lock", "Lock or unlock the layer", lambda d: r(d).lock(), "", some),
        ("ways", "Other ways to lay the area", lambda d: r(d).other_ways(), "", some),
        ("burnish", "Burnish with white", lambda d: r(d).burnish(), "", some),
        ("keep", "Keep the pencil, solve its pressure anew", lambda d: r(d).keep_pencil(), "", some),
        *((tool, words, lambda d, tool=tool: r(d).add_tool(tool), "", some) for tool, words in TOOL_WORDS),
        ("place-add", "Add to the shown place", lambda d: r(d).correct_place("add"), "", some),
        ("place-away", "Take from the shown place", lambda d: r(d).correct_place("away"), "", some),
        ("solve-all", "Solve every area that has no layers", lambda d: d.session.portrait.solve_all()),
        ("solve-anew", "Solve every area anew", lambda d: d.session.portrait.solve_anew()),
        ("palette", "Choose the pencils of the portrait", lambda d: d.session.portrait.choose()),
        *((f"animal-{key}", f"Aim the whole animal: {words}", lambda d, key=key: d.session.portrait.aim(key)) for key, words in ANIMAL_AIMS),
        ("animal-backdrop", "Aim the whole animal: under the new backdrop", lambda d: d.session.portrait.under_backdrop()),
        ("animal-back", "Aim the whole animal: softer away from the focus", lambda d: d.session.portrait.hold_back()),
        ("any-pencil", "Let recipes take any pencil", lambda d: d.session.portrait.let_go()),
        ("place-next", "Show the next lighter place", lambda d: r(d).step_place(1), "", some),
        ("place-back", "Show the next darker place", lambda d: r(d).step_place(-1), "", some),
        *((f"band-{band}", f"Show the stack in the {band}", lambda d, band=band: r(d).show_band(band), "", some) for band in BANDS),
        *((f"card-{key}", f"Show the card: {words.lower()}", lambda d, key=key: r(d).show_tab(key), "", some) for key, words in RECIPE_TABS),
        ("part", "Part the layer by value", lambda d: recipe_cards.split(r(d)), "", some),
        ("open-technique", "Open a technique", lambda d: d.writers.open_technique()),
        ("hold-back", "Hold this area back by its distance from the focus", lambda d: d.session.workshop.hold_back(d.session.area_id), "", some),
        ("fewest", "Fewest pencils for this area", lambda d: d.session.workshop.spare(d.session.area_id), "", some),
    ], "Recipe", ("commission", "photo", "area"))  # fmt: skip
    return out + _acts("Recipe", [
        ("json", "Write: recipes as JSON", lambda d: d.writers.as_json()),
        ("csv", "Write: recipes as CSV", lambda d: d.writers.as_csv()),
        ("svg", "Write: areas and markings as SVG", lambda d: d.writers.as_svg()),
        ("ora", "Write: layers as OpenRaster", lambda d: d.writers.as_openraster()),
        ("scrap", "Print the scrap test card", lambda d: d.writers.scrap_card()),
        ("colours", "Print the colour card for the client", lambda d: d.writers.colour_card()),
        ("technique", "Write: this recipe as a technique", lambda d: d.writers.technique(), "", ("area", "layers")),
    ], "", ("commission", "recipes"))  # fmt: skip


def _best_swap(r: RecipeStage) -> None:
    session = r.session
    targets = session.targets(session.area_id)
    if targets:
        ranked = recipe_changes.swaps(session.paper, session.kit, r.layers, r.at, targets, most=2)
        if len(ranked) > 1:
            r.swap(ranked[1].code)


def _plan() -> list[Act]:
    p: Callable[[Desk], PlanStage] = lambda d: d.stages["Plan"]  # type: ignore[assignment,return-value]  # noqa: E731
    card = lambda name: lambda d: p(d).show_card(name)  # noqa: E731
    return _acts("Plan", [
        ("step", "Show the chosen step", card("step")),
        ("hours", "Show the hours", card("hours")),
        ("days", "Show how it is worked and the days", card("days")),
        ("materials", "Show the materials", card("materials")),
        ("solved", "Back to the solved order", lambda d: d.session.planner.forget_moves()),
        ("calendar", "Write: calendar file", lambda d: p(d).write_calendar()),
    ], "Plan", ("commission", "recipes"))  # fmt: skip


def _easel() -> list[Act]:
    e: Callable[[Desk], EaselStage] = lambda d: d.stages["Easel"]  # type: ignore[assignment,return-value]  # noqa: E731
    turn = lambda degrees: lambda d: e(d).turn(degrees)  # noqa: E731
    tab = lambda name: lambda d: e(d).show_tab(name)  # noqa: E731
    return _acts("Easel", [
        ("done", "Step done", lambda d: e(d).done()),
        ("back", "The step before", lambda d: e(d).back()),
        ("skip", "Skip the step", lambda d: e(d).skip()),
        ("note", "Note to the step", lambda d: e(d).note()),
        ("besides", "Log work outside the recipe", lambda d: e(d).besides()),
        ("swapped", "Another pencil was used", lambda d: e(d).swapped()),
        ("photograph", "Photograph the work", lambda d: e(d).desk.camera.take()),
        ("pause", "Pause or go on", lambda d: e(d).pause()),
        ("left", "Turn the picture to the left", turn(15)),
        ("right", "Turn the picture to the right", turn(-15)),
        ("little-left", "Turn the picture a little to the left", turn(3)),
        ("little-right", "Turn the picture a little to the right", turn(-3)),
        ("upright", "Picture upright", lambda d: e(d).turn(-e(d).mat.turn_deg)),
        ("type", "Larger or usual type at the easel", lambda d: e(d).larger()),
        ("bench", "Show or hide the log", lambda d: e(d).show_bench(not e(d).bench_on)),
        ("hours", "Hours of the log", tab("hours")),
        ("pencils", "Pencils used and worn", tab("pencils")),
        ("here", "What did I use here", tab("here")),
        ("camera", "Where photos of the work come from", tab("write")),
    ], "Easel", ("commission", "recipes"))  # fmt: skip


def _check() -> list[Act]:
    c: Callable[[Desk], CheckStage] = lambda d: d.stages["Check"]  # type: ignore[assignment,return-value]  # noqa: E731
    return _acts("Check", [
        ("photo", "Take a photo to check", lambda d: c(d).new_photo()),
        ("again", "Read the photo again", lambda d: c(d).read_again()),
        ("corners", "Set the sheet’s corners", lambda d: c(d).set_corners()),
        ("second", "Read it with the photo before it, against gloss", lambda d: c(d).use_second()),
        ("next", "Next fault", lambda d: c(d).step_fault(1)),
        ("before", "Fault before", lambda d: c(d).step_fault(-1)),
        ("earlier", "Earlier photo", lambda d: c(d).step_shot(-1)),
        ("later", "Later photo", lambda d: c(d).step_shot(1)),
        ("plan", "Put the correction into the plan", lambda d: c(d).into_plan()),
        ("meant", "I meant it so", lambda d: c(d).meant_so()),
        ("first", "Look first, before the numbers", lambda d: c(d).look_first()),
        ("mornings", "Turn the morning look on or off", lambda d: _mornings(d)),
        ("strip", "Print the check strip", lambda d: d.records.check_strip()),
        ("read-strip", "Read a scan of the check strip", lambda d: d.records.read_strip()),
        ("pair", "Write: the pair for the client", lambda d: d.records.progress_pair()),
        ("film", "Write: film of the work", lambda d: d.records.time_lapse()),
    ], "Check", ("commission", "photo"))  # fmt: skip


def _mornings(desk: Desk) -> None:
    settings = desk.session.settings
    on = not settings.get("mornings")
    settings.set("mornings", on)
    settings.set("mornings_skipped", 0)
    desk.session.messages.remark(f"After a night the numbers {'wait until you have looked' if on else 'come at once'}.")


def _kit() -> list[Act]:
    k: Callable[[Desk], KitRoom] = lambda d: d.stages["Kit"]  # type: ignore[assignment,return-value]  # noqa: E731
    of = ("commission",)
    return [Act("kit.open", "Open the kit room", "Kit", lambda d: d.show_room("Kit"), "Ctrl+K")] + _acts("Kit", [
        ("sheet", "Print a swatch sheet", lambda d: k(d).print_sheet()),
        ("read-photo", "Read a filled sheet from a photo", lambda d: k(d).reading.ask_photo()),
        ("read-file", "Read measurements from a file", lambda d: k(d).reading.ask_file()),
        ("scan", "Let the simulated scanner fill and read a sheet", lambda d: k(d).reading.simulate_scan()),
        ("colorimeter", "Measure with the simulated colorimeter", lambda d: k(d).reading.simulate_colorimeter()),
        ("fit", "Fit the kit to what was read", lambda d: k(d).reading.fit()),
        ("chart", "Back to the kit chart", lambda d: k(d).show_chart()),
        ("papers", "Show papers and tools", lambda d: k(d).show_papers()),
        ("import", "Import a kit", lambda d: k(d).import_kit()),
        ("csv", "Write: the kit as CSV", lambda d: k(d).export_kit(".csv")),
        ("gpl", "Write: the kit as a palette", lambda d: k(d).export_kit(".gpl")),
        ("order", "Write the order list", lambda d: k(d).order_list()),
        ("primaries", "Lay three primaries, black and white in the tray", lambda d: k(d).lay_primaries(), "", of),
        ("limit", "Use only the tray, or the whole kit", lambda d: k(d).limit(), "", of),
    ], "Kit")  # fmt: skip


def _practice() -> list[Act]:
    p: Callable[[Desk], PracticeRoom] = lambda d: d.stages["Practice"]  # type: ignore[assignment,return-value]  # noqa: E731
    return _acts("Practice", [
        ("begin", "Begin today’s drill", lambda d: p(d).begin()),
        ("another", "Another drill", lambda d: p(d).another()),
        ("stop", "Stop the round; what was done is kept", lambda d: p(d).stop_here()),
        ("table", "Write: all answers as a table", lambda d: p(d).write_table()),
        ("forget", "Forget every answer", lambda d: p(d).forget()),
    ], "Practice")  # fmt: skip


def _help() -> list[Act]:
    out = _acts("Help", [
        ("page", "Handbook: the page of this stage", lambda d: d.open_handbook(), "F1"),
        ("first", "Handbook: from photo to card", lambda d: d.open_handbook("first")),
        ("words", "Handbook: words of the craft", lambda d: d.open_handbook("words")),
        ("book", "Print the handbook", lambda d: d.records.handbook(), "", (), "All pages as one PDF"),
        ("about", "About this studio", lambda d: d.open_handbook("about"), "", (), "Where it lies, its backups, licences"),
    ])  # fmt: skip
    out += [Act(f"help.{topic}", title, "Help", lambda d, topic=topic: d.explain(topic)) for topic, (title, _words) in TOPICS.items()]  # type: ignore[misc]
    out.append(
        Act(
            "help.keys",
            "Print the card of the keys",
            "Help",
            lambda d: d.print_keys(),
            help="All keys on one sheet, to lay beside the screen",
        )
    )
    return [*out, Act("help.find", "Find a command", "Help", lambda d: d.find_command(), "/")]


def table() -> tuple[Act, ...]:
    """All acts, in the order of their menus."""
    return (*_commission(), *_frame(), *_study(), *_areas(), *_recipe(), *_plan(), *_easel(), *_check(), *_kit(), *_practice(), *_help())
